using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Matching;
using Buttonhook.Core.Simulating;
using Buttonhook.Storage;

namespace Buttonhook.App;

/// <summary>Makes what the pages show from what is stored and what runs.</summary>
public sealed partial class BenchViews(
    BoardStore boards,
    BootStore boots,
    SettingsStore settings,
    Captures captures,
    Catalogue catalogue,
    Preparing.CardStarts cardStarts,
    Preparing.CardWriter writer,
    Preparing.StandInImages files,
    Preparing.ImageLooks looks,
    KnowledgeFiles knowledge,
    Cards cards,
    BenchOptions options,
    MoveStore moves,
    TimeProvider clock
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
            bench.Board.Simulated,
            NextThings.For(SeamStep.Boot, bench.Board, catalogue, MatchesOf(bench.Board), state, proof)
        );
    }

    /// <summary>One board, or null.</summary>
    public BoardView? Board(string id)
    {
        if (boards.Find(id) is not { } bench || catalogue.Model(bench.Board.ModelId) is not { } model)
            return null;
        var all = captures.Of(id);
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
            bench.Version,
            captures.RunningOn(id) is not null
        );
    }

    /// <summary>The images for a board with their record of real boots; what is wanted is as the bench is when nobody says otherwise.</summary>
    public IReadOnlyList<Match> MatchesOf(Board board, Wish? wish = null) =>
        Matcher.Match(
            board,
            catalogue,
            BootRecord.Of(board, catalogue, tallies ??= [.. boots.Tallies(), .. Keeping.Experiences.Tallies(cards.Added)]),
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
        var (broken, where) = Broken(bench);
        return [.. broken.Where(s => s is { Cause: not null, Edit: not null }).Select(s => new Endpoints.Mend(s.Cause!, where, s.Edit!))];
    }

    /// <summary>The links that a dry boot of the card of a board found broken, else that of the image file; and what was looked into.</summary>
    private (IReadOnlyList<Core.Images.DryStep> Broken, string Where) Broken(BenchBoard bench) =>
        cardStarts.Of(bench.Board, catalogue) is { Broken: { } onCard } ? (onCard, "the card that was written here")
        : bench.Board.ImageId is { } image && Played(bench.Board).GetValueOrDefault(image) is { } played
            ? (played.Broken, $"the file of {catalogue.Image(image)?.Title}")
        : ([], "");

    private IReadOnlyList<BootTally>? tallies;

    /// <summary>Of a twin whose card knows no speed, in bits a second: what it plays is a rehearsal.</summary>
    private const int RehearsalSpeed = 115_200;

    /// <summary>Milliseconds that a menu waits for a person.</summary>
    private const double MenuWaits = 5000;

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
        var first = captures.Of(bench.Board.Id).All(b => b.CardNumber != bench.CardNumber || b.LastStage < Stage.Services);
        var plan = new SimulationPlan(
            bench.Board,
            model,
            image,
            fault?.Id,
            listenSpeed ?? model.Console.Speed ?? RehearsalSpeed,
            seed,
            first,
            card?.HostName,
            card?.Drive ?? MovedTo(bench),
            clock.GetUtcNow()
        );
        var menu = (card?.Systems ?? [])
            .Select(s =>
                catalogue.Image(s.System.ImageId) is { } laid
                    ? new MenuEntry(laid with { RootPartUuid = s.System.PartUuid }, s.System.Root, s.Fault?.Id)
                    : null
            )
            .OfType<MenuEntry>()
            .ToList();
        // The first entry meets what the board and its wires bring as well.
        return menu.Count == 0
            ? plan
            : plan with
            {
                Image = menu[0].Image,
                RootNumber = menu[0].RootNumber,
                // A person has five seconds of their own, however fast the board plays.
                MenuMilliseconds = (int)Math.Min(MenuWaits * Math.Max(1, options.Pace), int.MaxValue / 2),
                Menu =
                [
                    menu[0] with
                    {
                        FaultId = fault?.Id,
                    },
                    .. menu.Skip(1).Select(m => m with { FaultId = Besides(hidden)?.Id ?? m.FaultId }),
                ],
            };
    }

    /// <summary>The disk that a simulated board's root was copied to, as its own console shows that it was; null while it was not.</summary>
    private string? MovedTo(BenchBoard bench)
    {
        if (moves.Of(bench.Board.Id) is not { Device: { } disk } move)
            return null;
        bool SaysSo(string text) => text.StartsWith($"all files are on {disk}", StringComparison.Ordinal);
        bool Copied(Boot boot) =>
            captures.With<object>(boot.Id, r => Enumerable.Range(1, r.Log.LineCount).Any(n => SaysSo(r.Log.Text(n)))) is true;
        return captures.Of(bench.Board.Id).Take(3).Any(Copied) || Moved(bench, move) ? disk["/dev/".Length..] : null;
    }

    /// <summary>Whether an earlier boot since the move was begun already ran from the new medium.</summary>
    private bool Moved(BenchBoard bench, Move move) =>
        boots
            .Of(bench.Board.Id)
            .Where(b => b.StartedAt > move.BegunAt)
            .Take(3)
            .Any(b => captures.MountedIn(b.Id) is { } mounted && mounted.Value != move.MountedBefore);
}
