using System.Runtime.CompilerServices;
using Buttonhook.Core.Asking;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Tests;

/// <summary>The repository's own data files, read once.</summary>
public static class Knowledge
{
    public static string Root { get; } = Path.GetFullPath(Path.Combine(Here(), "../.."));

    public static string Data { get; } = Path.Combine(Root, "data");

    public static IReadOnlyList<Question> Questions { get; } =
        QuestionBook
            .Read(
                Directory
                    .GetFiles(Path.Combine(Data, "knowledge/questions"))
                    .Order()
                    .Select(f => (Path.GetFileName(f), File.ReadAllText(f))),
                File.ReadAllText(Path.Combine(Root, "docs/formats/questions.schema.json"))
            )
            .Value
        ?? throw new InvalidOperationException("The questions cannot be read.");

    private static readonly Lazy<RuleBookIndex> LazyRules = new(() =>
    {
        var read = RuleBook.Read(
            Directory.GetFiles(Path.Combine(Data, "knowledge/rulebook")).Order().Select(f => (Path.GetFileName(f), File.ReadAllText(f))),
            File.ReadAllText(Path.Combine(Root, "docs/formats/rulebook.schema.json")),
            questions: Questions
        );
        var fitted = FittedRules.Read(
            File.ReadAllText(Path.Combine(Data, "knowledge/fitted.yaml")),
            File.ReadAllText(Path.Combine(Root, "docs/formats/fitted.schema.json"))
        );
        return read.Value is { } book
            ? new(
                book,
                fitted.Value?.Fitted ?? throw new InvalidOperationException(fitted.Problem!.ToString()),
                KnownShapes.Read(File.ReadAllText(Path.Combine(Data, "knowledge/shapes.tsv"))).Value
            )
            : throw new InvalidOperationException(read.Problem!.ToString());
    });

    public static RuleBookIndex Rules => LazyRules.Value;

    public static CommandBook Commands { get; } =
        new([
            .. Directory
                .GetFiles(Path.Combine(Data, "knowledge/commands"), "*.yaml")
                .SelectMany(f =>
                    Core
                        .Keeping.CommandBook.Read(
                            Path.GetFileName(f),
                            File.ReadAllText(f),
                            File.ReadAllText(Path.Combine(Root, "docs/formats/commands.schema.json"))
                        )
                        .Value
                        is { } book
                        ? book.Commands
                        : throw new InvalidOperationException(f)
                ),
        ]);

    public static RealNames Names { get; } = new(Read("time-zones"), Read("countries"));

    private static IReadOnlySet<string> Read(string list) =>
        RealNames.Read(File.ReadAllText(Path.Combine(Data, $"knowledge/names/{list}.txt")));

    private static string Here([CallerFilePath] string file = "") => Path.GetDirectoryName(file)!;
}
