using Buttonhook.Core.Asking;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Lab;

/// <summary>Prints how well the lab's logs are read, and writes what was fitted.</summary>
internal static class Judging
{
    /// <summary>The rule book of the repository, with the weights that a person wrote.</summary>
    public static RuleBookIndex Book(string root)
    {
        var read = RuleBook.Read(
            Directory
                .GetFiles(Path.Combine(root, "data/knowledge/rulebook"))
                .Order()
                .Select(f => (Path.GetFileName(f), File.ReadAllText(f))),
            File.ReadAllText(Path.Combine(root, "docs/formats/rulebook.schema.json")),
            questions: QuestionBook
                .Read(
                    Directory
                        .GetFiles(Path.Combine(root, "data/knowledge/questions"))
                        .Order()
                        .Select(f => (Path.GetFileName(f), File.ReadAllText(f))),
                    File.ReadAllText(Path.Combine(root, "docs/formats/questions.schema.json"))
                )
                .Value
        );
        return read.Value is { } book ? new(book) : throw new InvalidOperationException(read.Problem!.ToString());
    }

    public static int All(bool write, string from, string root, bool wrong)
    {
        var index = Book(root);
        var logs = Directory.Exists(from) ? LabLog.ReadFolder(from) : LabLog.Read(from);
        // The shared collection teaches too where it stands beside the project; it is no system of the lab, so it is not judged here.
        var shared = LabLog.ReadCases(Path.Combine(root, "../shared/bootlogs"));
        var all = Fitting.See([.. Captures.With(logs), .. shared], [.. logs, .. shared], index);
        var seen = all.Where(s => !s.Log.System.StartsWith("shared-", StringComparison.Ordinal)).ToList();
        Console.WriteLine($"{logs.Count} boots of {logs.Select(l => l.System).Distinct().Count()} systems, {seen.Count} logs");
        var (book, fitted) = Fitting.LeaveOneOut(seen, all, index, index.Weights);
        Console.WriteLine(Fitting.Table.Head);
        Console.WriteLine(book.Row("of the book"));
        Console.WriteLine(fitted.Row("fitted, system left out"));
        Console.WriteLine(fitted.Calibration());
        if (wrong)
            Console.WriteLine(string.Join('\n', fitted.Wrong));
        if (write)
        {
            File.WriteAllText(Path.Combine(root, "data/knowledge/shapes.tsv"), Fitting.Known([.. logs, .. shared]).Write());
            var kept = Fitting.Kept(all, index, index.Weights, Fitting.Fit(all, index, index.Weights));
            Fitted.Write(Path.Combine(root, "data/knowledge/fitted.yaml"), kept, seen.Count, logs.Select(l => l.System).Distinct().Count());
        }
        return 0;
    }
}
