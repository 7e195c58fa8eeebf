using System.Collections.Concurrent;
using System.Text;
using Buttonhook.App.Consoles;
using Buttonhook.App.Images;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Identifying;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Hardware;

namespace Buttonhook.App.Boards;

/// <summary>What kind of thing a person brought.</summary>
public enum ImportKind
{
    /// <summary>It is still being looked into.</summary>
    Unknown,

    /// <summary>An image of a disk.</summary>
    Image,

    /// <summary>Device trees: one, or a package, folder or archive of them.</summary>
    Trees,

    /// <summary>A boot log.</summary>
    Log,

    /// <summary>Text of a running system.</summary>
    System,

    /// <summary>What is printed on a board.</summary>
    Mark,
}

/// <summary>Something that a person brought, as far as it was looked into.</summary>
/// <param name="Says">What it is and what it tells, in a sentence or two.</param>
/// <param name="Trees">How many boards it carries a device tree for.</param>
/// <param name="Overlays">How many overlays it carries, which change device trees.</param>
/// <param name="Candidates">Boards whose card is here already that it could be.</param>
/// <param name="DoneBytes">Bytes of the file that have been read, of <paramref name="TotalBytes"/>.</param>
public sealed record Import(
    string Id,
    ImportKind Kind,
    string? Path,
    string Says,
    int Trees,
    int Overlays,
    IReadOnlyList<BoardCandidate> Candidates,
    bool Running,
    long DoneBytes,
    long TotalBytes,
    Problem? Problem
);

/// <summary>What came in at the bench, recognised by its content, whatever it is called. The newest twenty are remembered.</summary>
public sealed class Imports(KnowledgeFiles knowledge, Profiles profiles) : IDisposable
{
    private const int Remembered = 20;
    private const int LongestMark = 80;
    private readonly ConcurrentDictionary<string, Run> runs = new();

    /// <summary>One thing that came in: what was found in it is kept for the choice that follows.</summary>
    public sealed class Run(string? path, long total)
    {
        private long done;

        /// <summary>Where the file lies; null for typed text.</summary>
        public string? Path => path;

        /// <summary>When it came.</summary>
        public DateTime At { get; } = DateTime.UtcNow;

        /// <summary>What it is.</summary>
        public ImportKind Kind { get; set; }

        /// <summary>The text, of a log, a system or a mark.</summary>
        public string? Text { get; set; }

        /// <summary>The bytes of that text as they came.</summary>
        public byte[] Bytes { get; set; } = [];

        /// <summary>The trees with their bytes, by source.</summary>
        public IReadOnlyDictionary<string, FoundTree> Blobs { get; set; } = new Dictionary<string, FoundTree>();

        /// <summary>Those of them that are overlays.</summary>
        public IReadOnlyList<FoundTree> Overlays { get; set; } = [];

        /// <summary>The boards among them, read and searchable.</summary>
        public TreeSearch Search { get; set; } = new([]);

        /// <summary>What an image holds.</summary>
        public Inspection? Inspection { get; set; }

        internal string Says { get; set; } = "";
        internal IReadOnlyList<BoardCandidate> Candidates { get; set; } = [];
        internal Problem? Problem { get; set; }
        internal bool Running { get; set; } = true;
        internal CancellationTokenSource Stop { get; } = new();

        internal void Report(long bytes) => Interlocked.Exchange(ref done, bytes);

        internal Import View(string id) =>
            new(id, Kind, Path, Says, Search.Count, Overlays.Count, Candidates, Running, Interlocked.Read(ref done), total, Problem);
    }

    /// <summary>Takes a file or folder of this computer, and looks into it in the background.</summary>
    public string Take(string path) =>
        Begin(new(path, System.IO.File.Exists(path) ? new FileInfo(path).Length : 0), run => LookInto(run, path));

    /// <summary>Takes typed or pasted text: a log, text of a running system, or what is printed on a board.</summary>
    public string TakeText(string text) => Begin(new(null, text.Length), run => Tell(run, Encoding.UTF8.GetBytes(text)));

    private string Begin(Run run, Action<Run> look)
    {
        var id = Guid.NewGuid().ToString("N");
        runs[id] = run;
        foreach (var old in runs.OrderByDescending(r => r.Value.At).Skip(Remembered).ToList())
            if (runs.TryRemove(old.Key, out var gone))
                gone.Stop.Cancel();
        _ = Task.Run(() =>
        {
            try
            {
                look(run);
            }
            catch (OperationCanceledException)
            {
                run.Problem = new("It should have been looked into to its end.", "It was stopped.", "Bring it again.");
            }
            catch (Exception e)
            {
                run.Problem = new(
                    "It should have been recognised.",
                    $"A mistake inside Buttonhook: {e.Message}",
                    "Keep the file; it led to this."
                );
            }
            run.Running = false;
        });
        return id;
    }

    /// <summary>How one stands, or null.</summary>
    public Import? Find(string id) => runs.GetValueOrDefault(id)?.View(id);

    /// <summary>What was found in one, or null.</summary>
    public Run? Found(string id) => runs.GetValueOrDefault(id);

    /// <summary>Stops looking into one, and forgets it; false when there is none.</summary>
    public bool Forget(string id)
    {
        if (!runs.TryRemove(id, out var run))
            return false;
        run.Stop.Cancel();
        return true;
    }

    private void LookInto(Run run, string path)
    {
        if (!Directory.Exists(path))
        {
            if (FileKinds.NotRegular(path, "What you bring") is { } other)
            {
                run.Problem = other;
                return;
            }
            if (AsConsole(path) is { } console)
            {
                Tell(run, console);
                return;
            }
        }
        if (TreeSources.InContainer(path, run.Stop.Token) is not { } found)
            LookIntoImage(run, path);
        else if (found.Value is { Count: > 0 } trees)
        {
            run.Kind = ImportKind.Trees;
            Lay(run, trees);
            var name = System.IO.Path.GetFileName(path.TrimEnd('/'));
            if (run.Search.Count == 0 && run.Overlays.Count > 0)
                run.Problem = new(
                    "A board is told by its device tree.",
                    $"{name} is an overlay: it changes other device trees and is no board by itself.",
                    "Bring the image, package or folder that holds the device tree and this overlay together."
                );
            run.Says = Sentence(run, name, null);
        }
        else
            run.Problem = found.Problem ?? TreeSources.None(path);
    }

    private void LookIntoImage(Run run, string path)
    {
        IReadOnlyList<FoundTree> found = [];
        var inspected = ImageFiles.Inspect(
            path,
            null,
            knowledge.Signs,
            null,
            run.Stop.Token,
            run.Report,
            (bytes, _) => found = TreeSources.InImage(path, bytes, [])
        );
        if (inspected.Value is not { } inspection)
        {
            run.Problem = inspected.Problem;
            return;
        }
        if (inspection.Nature is not null)
        {
            var file = System.IO.Path.GetFileName(path);
            run.Problem = new(
                "It should be an image, a device tree, a package, a log, or text.",
                inspection.Nature is { } nature ? $"{file}: {nature.Says} {nature.Why}" : $"{file} is none of them.",
                inspection.Nature?.Instead ?? "Check whether it is the right file, and whether it came whole."
            );
            return;
        }
        run.Kind = ImportKind.Image;
        run.Inspection = inspection;
        Lay(run, found);
        run.Says = Sentence(run, System.IO.Path.GetFileName(path), inspection);
    }

    /// <summary>Keeps the trees that can be read and belong to a board.</summary>
    private static void Lay(Run run, IReadOnlyList<FoundTree> trees)
    {
        run.Blobs = trees.DistinctBy(t => t.Source).ToDictionary(t => t.Source);
        run.Overlays = TreeSources.Overlays([.. run.Blobs.Values]);
        run.Search = new(TreeSources.Read(trees, [], run.Stop.Token));
    }

    private static string Sentence(Run run, string file, Inspection? image)
    {
        var what = image is null
            ? file
            : $"{file} is an image: {image.Os?.Name ?? "a system without a name"}, {image.Architecture?.Words() ?? "for a processor that it does not tell"}, {Sizes.Binary(image.ExpandedBytes)} on the card.";
        var trees = run.Search.Count switch
        {
            0 when image is null => " holds no device tree that can be read.",
            0 when image?.Architecture == InstructionSet.Amd64 => " Its boards need no device tree.",
            0 => " It carries no device tree: it starts where the board's own loader hands one over.",
            1 => image is null ? " is a device tree." : " It carries a device tree for one board.",
            var n => image is null ? $" holds device trees for {n} boards." : $" It carries device trees for {n} boards.",
        };
        return what + trees;
    }

    /// <summary>The bytes of a file that is text, or a console that was received wrongly; null for any other.</summary>
    private byte[]? AsConsole(string path)
    {
        if (new FileInfo(path).Length is 0 or > LogFiles.LargestWhole)
            return null;
        var bytes = System.IO.File.ReadAllBytes(path);
        if (LogFiles.OtherKind(bytes) is not null)
            return null;
        var start = bytes.AsSpan(0, Math.Min(bytes.Length, 1 << 16));
        var strange = 0;
        foreach (var b in start)
            if (b is 0 or 0x7F || b < 32 && b is not ((byte)'\r' or (byte)'\n' or (byte)'\t' or 0x1B or 8 or 7))
                strange++;
        if (strange * 50 < start.Length)
            return bytes;
        return
            LogDiagnosis.Of(start, knowledge.Rules).Reading.Line.Fault
                is LineFault.Speed
                    or LineFault.Inverted
                    or LineFault.Frame
                    or LineFault.Noise
            ? bytes
            : null;
    }

    private void Tell(Run run, byte[] bytes)
    {
        run.Bytes = bytes;
        var text = run.Text = Encoding.UTF8.GetString(bytes);
        var plain = text.Trim();
        // The bytes themselves are judged: of a console that was received wrongly the text is not whole.
        var (reading, diagnosis) = LogDiagnosis.Of(bytes, knowledge.Rules);
        var wrongLine = reading.Line.Fault is LineFault.Speed or LineFault.Inverted or LineFault.Frame or LineFault.Noise;
        var mark = !plain.Contains('\n') && plain.Length <= LongestMark && reading.LastStage is null;
        var clues = new BoardClues(mark ? plain : null, null, mark ? null : text, null, []);
        var draft = ProfileDraft.From(clues, knowledge.Rules, log: wrongLine);
        run.Kind =
            mark ? ImportKind.Mark
            : reading.LastStage is not null || wrongLine ? ImportKind.Log
            : ImportKind.System;
        if (draft.Problem is { } nothing)
        {
            run.Problem = run.Kind == ImportKind.Log ? null : nothing;
            if (run.Problem is not null)
                return;
        }
        run.Candidates =
            Identification.Tell(clues, profiles.Catalogue, knowledge.Rules).Value?.Candidates.Where(c => c.Probability > 0.1).ToList()
            ?? [];
        run.Says = run.Kind switch
        {
            ImportKind.Mark => $"“{plain}” is printed on it.",
            ImportKind.Log when wrongLine =>
                $"This is a console that was not received well: {diagnosis.Causes[0].Name.ToLowerInvariant()}. It is kept as the board's first boot.",
            ImportKind.Log =>
                $"This is a boot log of {reading.Facts.Board ?? "a board that it does not name"}, up to {StageWords.Of(reading.LastStage)}{(diagnosis.Causes[0].Id is RuleBook.None or RuleBook.SomethingElse ? "" : $": {diagnosis.Causes[0].Name.ToLowerInvariant()}")}.",
            _ => $"This is text of a running system{(draft.Value?.Card is { Maker: not null } card ? $" on {card.FullName}" : "")}.",
        };
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var run in runs.Values)
            run.Stop.Cancel();
    }
}
