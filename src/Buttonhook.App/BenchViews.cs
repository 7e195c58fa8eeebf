using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Matching;
using Buttonhook.Core.Simulating;
using Buttonhook.Storage;

namespace Buttonhook.App;

/// <summary>A button of the placket.</summary>
/// <param name="State">open, reached, now, stopped, hidden or flawed.</param>
/// <param name="UsualFrom">Seconds since power when this stage is usually reached at the earliest, from good boots of this pair; null without one.</param>
public sealed record PlacketStage(Stage Stage, string State, double? Seconds, int? Line, double? UsualFrom, double? UsualTo);

/// <summary>What a board on the bench waits for, in the order in which a person is needed.</summary>
public enum BoardWaits
{
    /// <summary>It stopped, or its card is half written: somebody must look.</summary>
    Look,

    /// <summary>It works, and its settings are not kept yet.</summary>
    Keep,

    /// <summary>Nothing is in the way of a boot.</summary>
    Boot,

    /// <summary>It boots, or its card is being written.</summary>
    Time,

    /// <summary>An image or a written card is missing.</summary>
    Card,

    /// <summary>Its working settings are kept.</summary>
    Nothing,
}

/// <summary>A board as it lies on the bench.</summary>
/// <param name="Waits">What it waits for.</param>
/// <param name="Word">Its state in plain words.</param>
/// <param name="Seconds">Seconds since power that belong to the state, or null.</param>
public sealed record BoardSummary(
    string Id,
    string Nickname,
    string Model,
    IReadOnlyList<PlacketStage> Placket,
    BoardWaits Waits,
    string Word,
    double? Seconds,
    bool Live,
    NextThing Next
);

/// <summary>One stitch of the seam.</summary>
public sealed record SeamState(SeamStep Step, bool Done);

/// <summary>Everything about one board.</summary>
/// <param name="Version">Counts the changes of the board; a save names the one that it began from.</param>
public sealed record BoardView(
    Board Board,
    BoardModel Model,
    string Sentence,
    string ToldBy,
    string? ImageTitle,
    IReadOnlyList<SeamState> Seam,
    IReadOnlyDictionary<SeamStep, NextThing> Next,
    IReadOnlyList<PlacketStage> Placket,
    string Word,
    string? LatestBootId,
    bool SettingsKept,
    string? FaultId,
    Proof Proof,
    bool StandIn,
    IReadOnlyList<ChangeView> Changes,
    CapturePort? Port,
    int Version
);

/// <summary>A change on the card or bench of a board.</summary>
/// <param name="Edit">The line that was changed, or null when only words tell of it.</param>
/// <param name="Proven">Whether a later boot proved it, in plain words.</param>
public sealed record ChangeView(long Id, string CauseId, string Text, DateTimeOffset MadeAt, ChangedLine? Edit, string Proven);

/// <summary>A serial port and its speed in bits per second.</summary>
public sealed record CapturePort(string Path, int Speed);

/// <summary>One boot as it is shown.</summary>
/// <param name="UsualQuietSeconds">The longest silence in good boots of this pair, or null without one.</param>
/// <param name="PowerMarked">Whether a person marked when power was applied; else times count from the begin of the capture.</param>
/// <param name="QuietSeconds">Seconds since the last byte, now; null when the capture has ended.</param>
public sealed record BootView(
    string Id,
    string BoardId,
    int Number,
    string Source,
    DateTimeOffset StartedAt,
    bool Live,
    bool Settled,
    string Word,
    Outcome Outcome,
    Stage? LastStage,
    IReadOnlyList<PlacketStage> Placket,
    IReadOnlyList<Attempt> Attempts,
    Facts Facts,
    long ByteCount,
    int LineCount,
    double? NowSeconds,
    double? QuietSeconds,
    double? UsualQuietSeconds,
    int GoodBoots,
    string? EndedWhy,
    Problem? Waiting,
    IReadOnlyList<BootNote> Notes,
    bool PowerMarked
);

/// <summary>Makes what the pages show from what is stored and what runs.</summary>
public sealed class BenchViews(
    BoardStore boards,
    BootStore boots,
    SettingsStore settings,
    Captures captures,
    Catalogue catalogue,
    Preparing.CardStarts cardStarts,
    Preparing.CardWriter writer,
    Preparing.StandInImages files,
    Preparing.ImageLooks looks
)
{
    /// <summary>All boards.</summary>
    public IReadOnlyList<BoardSummary> Bench()
    {
        var latest = boots.Latest();
        return [.. boards.All().Select(b => Summary(b, latest.GetValueOrDefault(b.Board.Id)))];
    }

    private BoardSummary Summary(BenchBoard bench, Boot? newest)
    {
        var boot = OfThisCard(bench, newest);
        var state = StateOf(bench, boot);
        var model = catalogue.Model(bench.Board.ModelId);
        var on = model?.Carrier is { } carrier
            ? $"{carrier} + {model.Name}"
            : $"{model?.Name ?? bench.Board.ModelId}, rev {bench.Board.RevisionId}";
        var placket = Placket(bench.Board.ModelId, boot, state, null);
        var proof = ProofOf(bench, boot is null ? [] : [boot], state);
        return new(
            bench.Board.Id,
            bench.Board.Nickname,
            bench.Board.MemoryMiB is { } memory ? $"{on}, {Sizes.Memory(memory)}" : on,
            placket,
            Waits(state, proof),
            Word(bench, state, proof),
            state is null or { Kept: true } ? null : state.LoginSeconds ?? captures.Summary(boot!)?.LastArrival / 1000.0,
            state?.Live == true,
            NextThings.For(SeamStep.Boot, bench.Board, catalogue, MatchesOf(bench.Board), state, proof)
        );
    }

    /// <summary>One board, or null.</summary>
    public BoardView? Board(string id)
    {
        if (boards.Find(id) is not { } bench || catalogue.Model(bench.Board.ModelId) is not { } model)
            return null;
        var all = boots.Of(id);
        var newest = all.FirstOrDefault();
        var boot = OfThisCard(bench, newest);
        var state = StateOf(bench, boot);
        var matches = MatchesOf(bench.Board);
        var image = catalogue.Image(bench.Board.ImageId);
        var proof = ProofOf(bench, all, state);
        // A step is done when something shows it: choosing is not writing, and drawing wires is not reading bytes.
        bool Done(SeamStep step) =>
            step switch
            {
                SeamStep.Identify => bench.Board.ToldBy.Count > 0,
                SeamStep.Match => image is not null,
                SeamStep.Prepare => proof.OnCard,
                SeamStep.Connect => proof.BytesRead
                    && Core.Connecting.SupplyCheck.Check(bench.Board.Connected, model.Power, catalogue, proof.Sag).Enough == true,
                SeamStep.Boot => proof.BytesRead && state is { Settled: true, Outcome: not Outcome.Cut },
                SeamStep.Diagnose => state is { Outcome: Outcome.ReachedLogin } or { Kept: true },
                _ => state is { Kept: true },
            };
        return new(
            bench.Board,
            model,
            catalogue.Describe(bench.Board) + ".",
            ToldBy(bench.Board.ToldBy),
            image?.Title,
            [.. Enum.GetValues<SeamStep>().Select(s => new SeamState(s, Done(s)))],
            Enum.GetValues<SeamStep>().ToDictionary(s => s, s => NextThings.For(s, bench.Board, catalogue, matches, state, proof)),
            Placket(bench.Board.ModelId, boot, state, null),
            Word(bench, state, proof),
            newest?.Id,
            state is { Kept: true },
            bench.FaultId,
            proof,
            image is not null && files.IsStandIn(image),
            [.. bench.Changes.Select(c => new ChangeView(c.Id, c.CauseId, c.Text, c.MadeAt, c.Edit, ProvenBy(c, bench, all)))],
            PortOf(all),
            bench.Version
        );
    }

    /// <summary>What shows how far the work on a board is.</summary>
    public Proof ProofOf(BenchBoard bench)
    {
        var all = boots.Of(bench.Board.Id);
        return ProofOf(bench, all, StateOf(bench, OfThisCard(bench, all.FirstOrDefault())));
    }

    private Proof ProofOf(BenchBoard bench, IReadOnlyList<Boot> all, BootState? state)
    {
        var write = writer.Of(bench.Board.Id);
        if (write is not null && (write.CardNumber != bench.CardNumber || write.SlotId == Preparing.CardSlots.CopyId))
            write = null;
        // The newest boot may be ahead of its summary.
        var newest = all.FirstOrDefault();
        Stage? Last(Boot b) => b == newest && b.CardNumber == bench.CardNumber ? state?.LastStage ?? b.LastStage : b.LastStage;
        var seen = all.FirstOrDefault(b =>
            b.CardNumber == bench.CardNumber && Last(b) >= Stage.Kernel && (write is null || b.StartedAt > write.StartedAt)
        );
        var card =
            bench.Board.ImageId is null ? CardState.NoImage
            : write is { Running: true } ? CardState.BeingWritten
            : seen is not null ? CardState.Seen
            : write is { Step: Core.Preparing.WriteStep.Done } ? CardState.Written
            : bench.ToldWritten ? CardState.Told
            : write is { Erased: true } ? CardState.HalfWritten
            : CardState.Chosen;
        var says = card switch
        {
            CardState.BeingWritten => $"{write!.ImageTitle} is being written in {write.SlotName}.",
            CardState.HalfWritten => write!.Problem?.Came,
            _ => null,
        };
        return new(
            card,
            says,
            all.Any(b => Last(b) is not null || b.Outcome is Outcome.Garbled) || state?.Outcome is Outcome.Garbled,
            state?.Sag
        );
    }

    /// <summary>Whether a later boot proved a change.</summary>
    private static string ProvenBy(CardChange change, BenchBoard bench, IReadOnlyList<Boot> all)
    {
        var later = all.Where(b =>
                b.CardNumber == bench.CardNumber && b.StartedAt > change.MadeAt && b.Outcome is not (null or Outcome.Cut)
            )
            .OrderBy(b => b.Number)
            .ToList();
        return later.FirstOrDefault(b => b.Outcome is Outcome.ReachedLogin or Outcome.Degraded && b.TopCause != change.CauseId) is { } good
                ? $"Proven: boot {good.Number} reached the login without it."
            : later.LastOrDefault(b => b.TopCause == change.CauseId) is { } still ? $"Not proven: boot {still.Number} shows the same."
            : later.Count > 0 ? $"Boot {later[^1].Number} does not show it any more, and did not reach the login."
            : "Not proven yet: no boot since.";
    }

    /// <summary>The port and speed that this board was captured at last, when the port is there.</summary>
    private static CapturePort? PortOf(IReadOnlyList<Boot> all) =>
        all.Select(b =>
                b.Source.Split(' ') is [var path, "at", var speed, "8N1"] && path.StartsWith("/dev/", StringComparison.Ordinal)
                    ? new CapturePort(path, int.Parse(speed, System.Globalization.CultureInfo.InvariantCulture))
                    : null
            )
            .FirstOrDefault(p => p is not null && File.Exists(p.Path));

    private static string ToldBy(IReadOnlyList<string> sources)
    {
        var words = sources
            .Select(s =>
                s switch
                {
                    "mark" => "by the mark on the board",
                    "loader" => "by the loader",
                    "tree" => "by its device tree",
                    "log" => "by its log",
                    _ => "by you",
                }
            )
            .ToList();
        return words.Count == 0
            ? "Not told by anything yet."
            : $"Told {string.Join(" and ", words)}{(sources.Contains("mark") ? "." : "; the mark is not entered yet.")}";
    }

    /// <summary>The images for a board with their record of real boots; what is wanted is as the bench is when nobody says otherwise.</summary>
    public IReadOnlyList<Match> MatchesOf(Board board, Wish? wish = null) =>
        Matcher.Match(
            board,
            catalogue,
            BootRecord.Of(board, catalogue, tallies ??= boots.Tallies()),
            wish ?? Wish.Usual(board),
            Played(board)
        );

    /// <summary>The dry boots of images with a file of their own on this board, as far as they were looked into.</summary>
    private Dictionary<string, Core.Images.DryBoot> Played(Board board)
    {
        var known = new Dictionary<string, Core.Images.DryBoot>();
        if (App.Images.DryBoards.Of(board, catalogue).Value is not { } dry)
            return known;
        foreach (var image in catalogue.Images)
            if (
                image is { Path: { } path, Kind: not "installer" }
                && image.InstructionSet == dry.Architecture
                && File.Exists(path)
                && looks.Known(path, dry) is { } played
            )
                known[image.Id] = played;
        return known;
    }

    /// <summary>The edits that would mend the card of a board: as its dry boot found them, else as that of the image file.</summary>
    public IReadOnlyList<Endpoints.Mend> Mends(BenchBoard bench)
    {
        if (cardStarts.Of(bench.Board, catalogue) is { Broken: { } onCard })
            return MendsOf(onCard, "the card that was written here");
        return bench.Board.ImageId is { } image && Played(bench.Board).GetValueOrDefault(image) is { } played
            ? MendsOf(played.Broken, $"the file of {catalogue.Image(image)?.Title}")
            : [];
    }

    private static List<Endpoints.Mend> MendsOf(IReadOnlyList<Core.Images.DryStep> broken, string where) =>
        [.. broken.Where(s => s is { Cause: not null, Edit: not null }).Select(s => new Endpoints.Mend(s.Cause!, where, s.Edit!))];

    private IReadOnlyList<BootTally>? tallies;

    private static Boot? OfThisCard(BenchBoard bench, Boot? boot) => boot?.CardNumber == bench.CardNumber ? boot : null;

    private BootState? StateOf(BenchBoard bench, Boot? boot)
    {
        if (boot is null)
            return null;
        if (captures.Summary(boot) is not { } said)
            return null;
        var live = captures.Running(boot.Id) is { Live: true, Ending: false };
        var login = said.Stages.FirstOrDefault(s => s.Stage == Stage.Login)?.Milliseconds;
        return new(
            live,
            !live || said.Waiting || said.Quiet,
            said.Outcome,
            said.LastStage,
            TopOf(boot.Id, said),
            login is { } ms ? (int)Math.Round(ms / 1000.0) : null,
            bench.ChangedAt > boot.StartedAt,
            settings.Of(bench.Board.Id).Any(s => s.BootId == boot.Id),
            said.SagLine is { } sag ? new(boot.Number, sag, said.SagVolts) : null
        );
    }

    /// <summary>The likeliest cause with what a person found by looking.</summary>
    private RankedCause? TopOf(string bootId, BootSummary said) =>
        boots.Answers(bootId) is { Count: > 0 } answers && captures.With(bootId, r => r.Diagnosis) is { } diagnosis
            ? diagnosis.Answered(answers).Causes[0] is { Id: not (RuleBook.None or RuleBook.SomethingElse) } top
                ? top
                : null
            : said.Top;

    private static BoardWaits Waits(BootState? state, Proof proof) =>
        state switch
        {
            _ when proof.Card is CardState.BeingWritten => BoardWaits.Time,
            _ when proof.Card is CardState.HalfWritten => BoardWaits.Look,
            null => proof.OnCard ? BoardWaits.Boot : BoardWaits.Card,
            { Kept: true } => BoardWaits.Nothing,
            { Live: true, Settled: false } => BoardWaits.Time,
            { Corrected: true } => BoardWaits.Boot,
            { Outcome: Outcome.ReachedLogin, Top: null or { Correction: null } } => BoardWaits.Keep,
            { Outcome: Outcome.Cut, Top: null } => BoardWaits.Boot,
            _ => BoardWaits.Look,
        };

    private static string Word(BenchBoard bench, BootState? state, Proof proof) =>
        state switch
        {
            _ when proof.Card is CardState.BeingWritten => "Card is being written",
            _ when proof.Card is CardState.HalfWritten => "Card half written",
            null when bench.Board.ImageId is null => "No image yet",
            null when !proof.OnCard => "Card not written yet",
            null => "Ready to boot",
            { Kept: true } => "Working settings",
            { Corrected: true } => "Corrected, boot again",
            { Live: true, Settled: false } => "Booting",
            { Outcome: Outcome.Degraded, Top: { } top } => top.Name,
            { Outcome: Outcome.ReachedLogin, Top: { Correction: not null } top } => top.Name,
            _ => Words.Of(state.Outcome ?? Outcome.Stopped, state.LastStage),
        };

    private IReadOnlyList<PlacketStage> Placket(string modelId, Boot? boot, BootState? state, BootReading? reading)
    {
        var hidden = catalogue.Model(modelId)?.Hidden ?? [];
        var good = boot is null ? [] : boots.Good(boot.ModelId, boot.RevisionId, boot.ImageId).Where(b => b.Id != boot.Id).ToList();
        var stages = reading?.StageLines ?? (boot is null ? [] : captures.Summary(boot)?.Stages ?? []);
        var last = state?.LastStage;
        return
        [
            .. Enum.GetValues<Stage>()
                .Select(stage =>
                {
                    var reached = stages.FirstOrDefault(s => s.Stage == stage);
                    var times = good.Select(b => b.Stages.FirstOrDefault(s => s.Stage == stage)?.Milliseconds).OfType<int>().ToList();
                    return new PlacketStage(
                        stage,
                        StateOf(stage, reached, state, last, hidden),
                        stage == Stage.Power && boot is not null && stages.Any(s => s.Milliseconds is not null) ? 0
                            : reached?.Milliseconds is { } ms ? Math.Round(ms / 1000.0, 1)
                            : null,
                        reached?.Line,
                        times.Count == 0 ? null : Math.Round(times.Min() / 1000.0, 1),
                        times.Count == 0 ? null : Math.Round(times.Max() / 1000.0, 1)
                    );
                }),
        ];
    }

    private static string StateOf(Stage stage, StageReached? reached, BootState? state, Stage? last, IReadOnlyList<string> hidden)
    {
        var name = System.Text.Json.JsonNamingPolicy.KebabCaseLower.ConvertName(stage.ToString());
        if (state is null)
            return hidden.Contains(name) ? "hidden" : "open";
        if (state.Outcome == Outcome.Garbled && last is null)
            return stage == Stage.Power ? "flawed" : "open";
        if (stage == Stage.Power)
            return last is null && state.Settled && state.Outcome != Outcome.Cut ? "stopped"
                : last is null ? "now"
                : "reached";
        if (stage == last)
        {
            if (stage == Stage.Login)
                return state.Outcome == Outcome.Degraded ? "flawed" : "reached";
            return state.Live && !state.Settled ? "now"
                : state.Outcome == Outcome.Cut ? "reached"
                : "stopped";
        }
        if (reached is not null)
            return "reached";
        return hidden.Contains(name) || stage < last ? "hidden" : "open";
    }

    /// <summary>One boot, or null.</summary>
    public BootView? Boot(string id)
    {
        // Why it ended is stored before the capture stops being live: asked in this order both fit together.
        var capture = captures.Running(id);
        var live = capture is { Live: true, Ending: false };
        if (boots.Find(id) is not { } boot || boards.Find(boot.BoardId) is not { } bench)
            return null;
        var looked = captures.With<Tuple<BootReading, Outcome, long, int, int?>>(
            id,
            r => Tuple.Create(r.Reading, r.Diagnosis.Outcome, r.Log.Length, r.Log.LineCount, r.Log.LastArrival)
        );
        if (looked is null)
            return null;
        var (reading, outcome, bytes, lines, lastArrival) = looked;
        var state = StateOf(bench, boot)!;
        var good = boots.Good(boot.ModelId, boot.RevisionId, boot.ImageId).Where(b => b.Id != id).ToList();
        return new(
            boot.Id,
            boot.BoardId,
            boot.Number,
            boot.Source,
            boot.StartedAt,
            live,
            state.Settled,
            state is { Live: true, Settled: false } ? "Booting" : Words.Of(outcome, reading.LastStage),
            outcome,
            reading.LastStage,
            Placket(boot.ModelId, boot, state, reading),
            reading.Attempts,
            reading.Facts,
            bytes,
            lines,
            live ? capture!.Now / 1000.0 : lastArrival / 1000.0,
            live ? (capture!.Now - (lastArrival ?? 0)) / 1000.0 : null,
            good.Max(b => b.LongestQuiet) is { } quiet ? Math.Ceiling(quiet / 1000.0) : null,
            good.Count,
            boot.EndedWhy ?? capture?.EndedWhy,
            capture?.Trouble,
            [.. boots.Notes(id).Select(n => n with { Milliseconds = n.Milliseconds - boot.PowerAt })],
            (capture?.Reader.Log.PowerAt ?? boot.PowerAt) > 0
        );
    }

    /// <summary>Of a twin whose card knows no speed, in bits a second: what it plays is a rehearsal.</summary>
    private const int RehearsalSpeed = 115_200;

    /// <summary>What a simulated board plays next: the fault put into it unless it was corrected, else what follows from the bench.</summary>
    public SimulationPlan Plan(BenchBoard bench, int seed, int? listenSpeed = null)
    {
        var model = catalogue.Model(bench.Board.ModelId)!;
        var image = catalogue.Image(bench.Board.ImageId);
        var hidden = SimulatedFaults.Find(bench.FaultId);
        if (hidden is not null && hidden.ClearedBy.Any(bench.Corrected.Contains))
            hidden = null;
        var card = cardStarts.Of(bench.Board, catalogue);
        var implied = SimulatedFaults.Implied(bench.Board, model, image, catalogue, bench.Corrected);
        // What is on a card that was written is read from that card.
        SimulatedFault? Besides(SimulatedFault? fault) =>
            card is not null && fault is not null && Preparing.CardStarts.IsOnCard(fault.Id) ? null : fault;
        var onCard = card?.Fault is { } written && !written.ClearedBy.Any(bench.Corrected.Contains) ? written : null;
        var fault = Besides(hidden) ?? onCard ?? Besides(implied);
        var first = boots.Of(bench.Board.Id).All(b => b.CardNumber != bench.CardNumber || b.LastStage < Stage.Services);
        return new(bench.Board, model, image, fault?.Id, listenSpeed ?? model.Console.Speed ?? RehearsalSpeed, seed, first, card?.HostName);
    }
}
