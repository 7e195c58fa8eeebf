using System.CommandLine;
using System.Globalization;
using System.Text;
using System.Text.Json;
using Buttonhook.App.Keeping;
using Buttonhook.Core;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;
using static Buttonhook.App.Commands.Terminal;

namespace Buttonhook.App.Commands;

/// <summary>settings: list, show, export, import, diff.</summary>
internal static class SettingsCommands
{
    /// <summary>Ends with this when two records say different things.</summary>
    private const int Differ = 1;

    /// <summary>The command with all below it.</summary>
    public static Command Make() =>
        new("settings", "List, show, export, import and compare working settings.") { List(), Show(), Export(), Import(), Diff() };

    private static Argument<string> Board(string name = "BOARD") =>
        new(name) { Description = "Id or nickname of a board; with :N one of its versions." };

    /// <summary>A command that does something with what is kept in a data folder.</summary>
    private static Command On(Command command, Func<ParseResult, Kept, int> what)
    {
        command.Options.Add(CommandOptions.Data);
        command.SetAction(parse => With(parse.GetValue(CommandOptions.Data), bench => what(parse, bench)));
        return command;
    }

    private static Command List() =>
        On(
            new("list", "List what is kept.") { CommandOptions.Json },
            (parse, bench) =>
            {
                var all = bench
                    .Boards.All()
                    .SelectMany(b => bench.Settings.Of(b.Board.Id).Select(k => (b.Board.Nickname, Kept: k)))
                    .ToList();
                return Print(
                    parse.GetValue(CommandOptions.Json) ? InJson(all) : string.Concat(all.Select(a => InLine(a.Nickname, a.Kept)))
                );
            }
        );

    private static string InJson(IEnumerable<(string Nickname, KeptSettings Kept)> all) =>
        JsonSerializer.Serialize(
            all.Select(a => new
            {
                board = a.Nickname,
                a.Kept.Version,
                a.Kept.SavedAt,
                a.Kept.CameFrom,
                image = a.Kept.Settings.Of("image.name"),
            }),
            Indented
        ) + "\n";

    private static string InLine(string nickname, KeptSettings kept)
    {
        var at = kept.SavedAt.UtcDateTime.ToString("yyyy-MM-dd HH:mm", CultureInfo.InvariantCulture);
        var from = kept.CameFrom is { } place ? $"  from {place}" : "";
        return $"{nickname}:{kept.Version}  {at}  {kept.Settings.Of("image.name") ?? "image not known"}{from}\n";
    }

    private static Command Show()
    {
        var board = Board();
        return On(
            new("show", "Print what is kept of a board, in words.") { board },
            (parse, bench) => bench.With(parse.GetValue(board)!, kept => Print(SettingsText.Markdown(kept.Settings, kept.Version)))
        );
    }

    private static Command Export()
    {
        var board = Board();
        var text = new Option<bool>("--short") { Description = "As the short text of a square code." };
        var own = new Option<bool>("--own") { Description = "With first-boot commands, names of wireless networks and comments of keys." };
        return On(
            new("export", "Print what is kept of a board, as Markdown, JSON or a short text.") { board, CommandOptions.Json, text, own },
            (parse, bench) =>
                bench.With(
                    parse.GetValue(board)!,
                    found =>
                    {
                        var kept = parse.GetValue(own) ? found : found with { Settings = ForOthers.Of(found.Settings) };
                        return Print(
                            parse.GetValue(CommandOptions.Json) ? Encoding.UTF8.GetString(SettingsFile.Json(kept.Settings)) + "\n"
                            : parse.GetValue(text) ? ShortForm.Write(kept.Settings) + "\n"
                            : SettingsText.Markdown(kept.Settings, kept.Version)
                        );
                    }
                )
        );
    }

    private static Command Import()
    {
        var file = new Argument<string>("FILE") { Description = "JSON, a zip that Keep gave out, or a short text; - for standard input." };
        var board = new Option<string?>("--board") { Description = "The board to keep it for; without it the one of its nickname." };
        var look = new Option<bool>("--look") { Description = "Only tell what it would change." };
        var foreign = new Option<bool>("--other-model") { Description = "Keep them although they are of a board of another model." };
        return On(
            new("import", "Keep settings from another bench as a new version.") { file, board, look, foreign },
            (parse, bench) =>
                Take(
                    bench,
                    parse.GetValue(file)!,
                    parse.GetValue(board),
                    parse.GetValue(look),
                    parse.GetValue(foreign),
                    parse.GetValue(CommandOptions.Data)
                )
        );
    }

    private static Command Diff()
    {
        var (a, b) = (Board("A"), Board("B"));
        return On(
            new("diff", "Tell what two records say differently.") { a, b, CommandOptions.Json },
            (parse, bench) =>
                bench.With(
                    parse.GetValue(a)!,
                    one =>
                        bench.With(
                            parse.GetValue(b)!,
                            other => Differences(one.Settings, other.Settings, parse.GetValue(CommandOptions.Json))
                        )
                )
        );
    }

    private static int Differences(WorkingSettings one, WorkingSettings other, bool asJson)
    {
        var differences = SettingsDifference.Of(one, other);
        Console.WriteLine(
            asJson ? JsonSerializer.Serialize(differences, Indented)
            : differences.Count == 0 ? "Both say the same."
            : string.Join('\n', differences.Select(d => d.Says))
        );
        return differences.Count == 0 ? 0 : Differ;
    }

    private static int Take(Kept bench, string file, string? board, bool look, bool foreign, string? folder)
    {
        byte[] bytes;
        try
        {
            if (file == "-")
            {
                using var all = new MemoryStream();
                Console.OpenStandardInput().CopyTo(all);
                bytes = all.ToArray();
            }
            else
                bytes = File.ReadAllBytes(file);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return Say(new Problem($"{file} should be readable.", e.Message, "Name another file."), Failed);
        }
        var read = SettingsFile.Read(bytes);
        if (read.Value is not { } came)
            return Say(read.Problem!, Failed);
        if (bench.Find(board ?? came.Nickname) is not { } target)
            return Say(
                new Problem($"A board called {board ?? came.Nickname} should be on the bench.", "There is none.", "Name one with --board."),
                Failed
            );
        var newest = bench.Settings.Of(target.Board.Id).FirstOrDefault();
        var differences = newest is null ? [] : SettingsDifference.Told(newest.Settings, came);
        Console.WriteLine(
            newest is null ? $"{target.Board.Nickname} has no record yet."
            : differences.Count == 0 ? $"It says the same as version {newest.Version}."
            : $"Against version {newest.Version}:\n" + string.Join('\n', differences.Select(d => d.Says))
        );
        var other =
            KnowledgeFiles.Read().Value is { } known && OwnProfiles.CatalogueOf(known, folder).Value is { } catalogue
                ? came.Foreign(target.Board, catalogue)
                : null;
        if (other is not null)
            Console.WriteLine(other);
        if (look)
            return 0;
        if (other is not null && !foreign)
            return Say(
                new Problem(
                    "Settings should be of a board of the same model.",
                    other,
                    "Name the board that they are of with --board, or keep them all the same with --other-model."
                ),
                Failed
            );
        var kept = bench.Settings.Keep(
            target.Board.Id,
            null,
            came,
            TimeProvider.System.GetUtcNow(),
            file == "-" ? "standard input" : Path.GetFileName(file)
        )!;
        Console.WriteLine($"Kept as version {kept.Version} of {target.Board.Nickname}.");
        return 0;
    }

    private static int Print(string text)
    {
        Console.Write(text);
        return 0;
    }

    private static int With(string? data, Func<Kept, int> what)
    {
        var folder = data ?? BenchOptions.UsualFolder;
        var path = DataFolder.DataFile(folder);
        if (!File.Exists(path))
            return Say(new Problem($"{folder} should hold a bench.", "There is none.", "Name its folder with --data."), Failed);
        // A server may run on the folder: the data file takes both.
        var opened = Database.Open(path);
        if (opened.Value is not { } database)
            return Say(opened.Problem!, Failed);
        using (database)
            return what(new Kept(new(database), new(database)));
    }

    private sealed record Kept(BoardStore Boards, SettingsStore Settings)
    {
        public BenchBoard? Find(string name) =>
            Boards.Find(name) ?? Boards.All().FirstOrDefault(b => b.Board.Nickname.Equals(name, StringComparison.OrdinalIgnoreCase));

        /// <summary>Does something with a version, named "board" (its newest) or "board:N".</summary>
        public int With(string which, Func<KeptSettings, int> what)
        {
            var colon = which.LastIndexOf(':');
            var (name, number) = colon < 0 ? (which, null) : (which[..colon], which[(colon + 1)..]);
            if (Find(name) is not { } board)
                return Say(
                    new Problem(
                        $"A board called {name} should be on the bench.",
                        "There is none.",
                        "./buttonhook settings list names them."
                    ),
                    Failed
                );
            var versions = Settings.Of(board.Board.Id);
            var kept = number is null
                ? versions.FirstOrDefault()
                : versions.FirstOrDefault(v => v.Version.ToString(CultureInfo.InvariantCulture) == number);
            return kept is null
                ? Say(
                    new Problem(
                        number is null
                            ? $"{board.Board.Nickname} should have a record."
                            : $"{board.Board.Nickname} should have a version {number}.",
                        versions.Count == 0 ? "Nothing is kept of it." : $"It has {versions.Count}.",
                        "./buttonhook settings list names them."
                    ),
                    Failed
                )
                : what(kept);
        }
    }
}
