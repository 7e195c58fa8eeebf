using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Matching;

/// <summary>Decides which images start on a board; each rule answers with reasons, the worst decides.</summary>
public static class Matcher
{
    private sealed record Pair(Board Board, BoardModel Model, ImageCard Image, Catalogue Catalogue);

    private static readonly IReadOnlyList<(string Rule, Func<Pair, IEnumerable<(Bearing, string)>> Says)> Rules =
    [
        ("instruction-set", InstructionSet),
        ("revision", Revision),
        ("boot-medium", BootMedium),
        ("card-size", CardSize),
        ("memory", Memory),
        ("console", Console),
        ("outputs", Outputs),
        ("first-boot", FirstBoot),
        ("long-term", LongTerm),
    ];

    /// <summary>All images of the catalogue for this board, best first; a model that is not in the catalogue gives none.</summary>
    public static IReadOnlyList<Match> Match(Board board, Catalogue catalogue, Func<ImageCard, BootRecord> record) =>
        catalogue.Model(board.ModelId) is not { } model
            ? []
            :
            [
                .. catalogue
                    .Images.Select(image => One(new(board, model, image, catalogue), record(image)))
                    .OrderBy(m => m.Verdict)
                    .ThenByDescending(m => Worth(m, board)),
            ];

    private static Match One(Pair pair, BootRecord record)
    {
        var reasons = Rules
            .SelectMany(r => r.Says(pair).Select(s => new Reason(r.Rule, s.Item1, s.Item2)))
            .OrderBy(r => r.Bearing)
            .ToList();
        if (reasons.Any(r => r.Bearing == Bearing.Stops && r.Rule is "instruction-set" or "revision"))
            reasons = [.. reasons.Where(r => r.Bearing is Bearing.Stops)];
        var verdict = reasons.FirstOrDefault()?.Bearing switch
        {
            Bearing.Stops => Verdict.WillNotStart,
            Bearing.Unproven => Verdict.Unproven,
            Bearing.Change => Verdict.FitsAfterChange,
            _ => Verdict.Fits,
        };
        return new(pair.Image, verdict, reasons, record);
    }

    /// <summary>Inside a group: the lower end of the record weighs most, then long-term care, then the flavour that suits the screen.</summary>
    private static double Worth(Match match, Board board) =>
        match.Record.LowerEnd * 10
        + (match.Image.LongTermUntil is null ? 0 : 0.5)
        + ((match.Image.Flavour == "desktop") == board.Connected.Screen ? 0.4 : 0)
        - match.Reasons.Count(r => r.Bearing is Bearing.Change) * 0.3;

    private static IEnumerable<(Bearing, string)> InstructionSet(Pair p)
    {
        if (!p.Model.InstructionSet.Starts(p.Image.InstructionSet))
            yield return (
                Bearing.Stops,
                $"Kernel is for {p.Image.InstructionSet.Words()}, this board is {p.Model.InstructionSet.Words()}."
            );
    }

    private static IEnumerable<(Bearing, string)> Revision(Pair p)
    {
        if (p.Model.InstructionSet != p.Image.InstructionSet)
            yield break;
        var supported = p.Image.Supports.FirstOrDefault(s => s.Model == p.Model.Id);
        var known = supported is null ? "" : string.Join(" and ", supported.Revisions);
        if (supported is null)
        {
            var sibling = p.Image.Supports.FirstOrDefault(s => p.Catalogue.Model(s.Model)?.Processor == p.Model.Processor);
            if (sibling is null)
                yield return (Bearing.Stops, $"Made for {Names(p)}; its loader does not know the {p.Model.Processor} processor.");
            else
                yield return (
                    Bearing.Unproven,
                    $"Made for {p.Catalogue.Model(sibling.Model)!.Name}, which has the same processor. {sibling.Missing ?? "Expect parts to be missing."}"
                );
        }
        else if (supported.Revisions.Contains(p.Board.RevisionId))
        {
            yield return (Bearing.Good, $"Device tree for revision {p.Board.RevisionId} on the image.");
            if (supported.Missing is { } missing)
                yield return (Bearing.Note, missing);
        }
        else if (supported.Otherwise is { } why)
            yield return (Bearing.Stops, $"Knows revision {known} only: {why}.");
        else
            yield return (Bearing.Unproven, $"Made for revision {known}; nobody has said that revision {p.Board.RevisionId} starts.");
    }

    private static string Names(Pair p) =>
        string.Join(" and ", p.Image.Supports.Select(s => p.Catalogue.Model(s.Model)?.Name ?? s.Model).Distinct().Take(3));

    private static IEnumerable<(Bearing, string)> BootMedium(Pair p)
    {
        var common = p.Model.BootMedia.Intersect(p.Image.BootMedia).ToList();
        if (common.Count == 0)
            yield return (
                Bearing.Stops,
                $"Starts from {string.Join(" or ", p.Image.BootMedia)}; this board looks at {string.Join(", ", p.Model.BootMedia)} only."
            );
        else if (common.Contains("card") && p.Board.Connected.CardGb is null)
            yield return (Bearing.Change, "No card is in this board yet.");
        else if (!common.Contains("card"))
            yield return (Bearing.Note, $"Goes onto {common[0]}, not onto a card.");
    }

    private static IEnumerable<(Bearing, string)> CardSize(Pair p)
    {
        if (p.Board.Connected.CardGb is not { } card || !p.Image.BootMedia.Contains("card"))
            yield break;
        var plan = CardPlan.For(p.Image, card);
        if (!plan.Fits)
            yield return (
                Bearing.Change,
                $"Expands to {Sizes.Binary(p.Image.ExpandedBytes)}; the {card} GB card holds {Sizes.Binary(plan.CardBytes)}. Use {p.Image.SmallestCardGb} GB or more."
            );
        else if (!plan.HasRoom)
            yield return (
                Bearing.Change,
                $"Expands to {Sizes.Binary(p.Image.ExpandedBytes)}; with room for updates the {card} GB card is too small, {p.Image.RecommendedCardGb} GB is right."
            );
        else
            yield return (Bearing.Good, $"On the {card} GB card, {Sizes.Binary(plan.FreeBytes)} stay free.");
    }

    private static IEnumerable<(Bearing, string)> Memory(Pair p)
    {
        if (p.Board.MemoryMiB < p.Image.MinimumMemoryMiB)
            yield return (
                Bearing.Stops,
                $"Needs {Sizes.Memory(p.Image.MinimumMemoryMiB)} of memory; this board has {Sizes.Memory(p.Board.MemoryMiB)}."
            );
        else if (p.Board.MemoryMiB < p.Image.ComfortableMemoryMiB)
            yield return (
                Bearing.Note,
                $"Slow with {Sizes.Memory(p.Board.MemoryMiB)}: {Sizes.Memory(p.Image.ComfortableMemoryMiB)} is comfortable."
            );
        if (p.Image.InstructionSet == Boards.InstructionSet.Armhf && p.Board.MemoryMiB > 4096)
            yield return (Bearing.Note, "A 32-bit system gives one program 4 GiB at most.");
    }

    private static IEnumerable<(Bearing, string)> Console(Pair p)
    {
        var wanted = p.Model.Console;
        if (p.Image.ConsoleDevice is null)
            yield return (Bearing.Change, $"No serial console on its command line: add {KernelArguments.Console(wanted)}.");
        else if (p.Image.ConsoleDevice != wanted.Device || p.Image.ConsoleSpeed != wanted.Speed)
            yield return (
                Bearing.Change,
                $"Its console is {p.Image.ConsoleDevice} at {p.Image.ConsoleSpeed}; this board's is {wanted.Device} at {wanted.Speed}: set {KernelArguments.Console(wanted)}."
            );
        else
            yield return (Bearing.Good, "Serial login on by default.");
        if (p.Catalogue.Adapter(p.Board.Connected.AdapterId) is { } adapter && ConsoleWires.Check(adapter, wanted).Refused is { } refused)
            yield return (Bearing.Note, refused);
    }

    private static IEnumerable<(Bearing, string)> Outputs(Pair p)
    {
        if (!p.Board.Connected.Screen)
        {
            if (p.Image.Flavour == "desktop")
                yield return (Bearing.Note, "Wants a screen; none is connected.");
            yield break;
        }
        var off = p.Model.VideoOutputs.Except(p.Image.OutputsOn).ToList();
        if (p.Model.VideoOutputs.Count > 0 && off.Count == p.Model.VideoOutputs.Count)
            yield return (Bearing.Change, $"Leaves every video output dark ({string.Join(", ", off)}); watch the console or turn one on.");
        else if (off.Count > 0)
            yield return (Bearing.Note, $"Leaves {string.Join(" and ", off)} dark.");
    }

    private static IEnumerable<(Bearing, string)> FirstBoot(Pair p)
    {
        if (p.Image.NeedsScreenAtFirstBoot && !p.Board.Connected.Screen)
            yield return (Bearing.Change, "Asks its first questions on a screen: connect one, or answer them in first-boot files.");
        if (p.Image.NeedsNetworkAtFirstBoot && !p.Board.Connected.Network)
            yield return (Bearing.Change, "Fetches packages at its first boot: connect the network first.");
        if (p.Image.GrowsAtFirstBoot)
            yield return (Bearing.Note, $"Root grows at first boot: allow {Math.Ceiling(p.Image.FirstBootSeconds[^1] / 60.0):0} min.");
        if (p.Image.PasswordChangeForced)
            yield return (Bearing.Note, "The first login asks for a new password.");
    }

    private static IEnumerable<(Bearing, string)> LongTerm(Pair p)
    {
        if (p.Image.LongTermUntil is { } year)
            yield return (Bearing.Good, $"Kept up to date until {year}.");
        else
            yield return (Bearing.Note, "Not a long-term release.");
    }
}
