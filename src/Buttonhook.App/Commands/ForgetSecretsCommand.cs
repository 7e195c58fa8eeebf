using System.CommandLine;
using Buttonhook.Core.Consoles;
using Buttonhook.Storage;
using static Buttonhook.App.Commands.Terminal;

namespace Buttonhook.App.Commands;

/// <summary>forget-secrets: takes out of the journals what was typed and never came back from the board.</summary>
internal static class ForgetSecretsCommand
{
    /// <summary>The command.</summary>
    public static Command Make()
    {
        var command = new Command("forget-secrets", "Take what may be a secret out of the journals.") { CommandOptions.Data };
        command.SetAction(parse => Run(parse.GetValue(CommandOptions.Data) ?? BenchOptions.UsualFolder));
        return command;
    }

    private static int Run(string folder)
    {
        if (!File.Exists(DataFolder.DataFile(folder)))
            return Say(new($"{folder} should hold a bench.", "There is none.", "Name its folder with --data."), Failed);
        var held = HeldBench.Open(folder, false);
        if (held.Value is not { } bench)
            return Say(held.Problem!, Failed);
        using (bench)
        {
            var boots = new BootStore(bench.Database);
            var (forgotten, of) = (0, 0);
            foreach (var boot in boots.Newest(int.MaxValue))
            {
                var gone = Unanswered(boots.Typed(boot.Id), boots.Journal(boot.Id));
                boots.Forget(gone.Where(g => g.Kept == false).Select(g => g.Id), EchoWatch.SecretWords);
                forgotten += gone.Count(g => !g.Kept);
                of += gone.Count;
            }
            bench.Database.Compact();
            Console.WriteLine(
                $"{forgotten} of {of} entries of what was typed are forgotten: they did not come back from the board, so they may be secrets. The logs themselves are as they were."
            );
            foreach (var copy in Directory.GetFiles(folder, "buttonhook.db.schema-*"))
                Console.WriteLine(
                    $"{copy} is a copy from before an upgrade and still holds them: remove it when you do not need it any more."
                );
            return 0;
        }
    }

    private sealed record Judged(long Id, bool Kept);

    /// <summary>Plays a journal to the same judge that a live capture has.</summary>
    private static List<Judged> Unanswered(IReadOnlyList<(long Id, JournalEvent Event)> typed, IEnumerable<JournalEntry> journal)
    {
        if (typed.Count == 0)
            return [];
        var watch = new EchoWatch();
        var judged = new List<Judged>();
        var waiting = new Queue<(long Id, JournalEvent Event)>(typed);
        var line = new List<byte>();
        void Take(IReadOnlyList<EchoWatch.Known> known) => judged.AddRange(known.Select(k => new Judged((long)k.Tag!, k.Kept)));
        foreach (var entry in journal)
        {
            if (entry.Event is { Kind: EventKind.Typed } && waiting.TryDequeue(out var next))
            {
                var prompt = LineText.Clean([.. line]);
                watch.Type(
                    next.Event.Bytes ?? [],
                    next.Event.Milliseconds,
                    next.Event.AtByte ?? 0,
                    prompt,
                    Prompts.AsksForSecret(prompt),
                    next.Id
                );
            }
            if (entry.Event is not null)
                continue;
            Take(watch.Receive(entry.Piece.Bytes, entry.Milliseconds));
            var end = entry.Piece.Bytes.AsSpan().LastIndexOf((byte)'\n');
            if (end >= 0)
                line.Clear();
            line.AddRange(entry.Piece.Bytes.AsSpan(end + 1));
            if (line.Count > 4096)
                line.RemoveRange(0, line.Count - 4096);
        }
        Take(watch.End());
        return judged;
    }
}
