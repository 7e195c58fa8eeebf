using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Matching;

/// <summary>Decides which images start on a board; each rule answers with reasons, the worst decides.</summary>
public static class Matcher
{
    private sealed record Pair(
        Board Board,
        BoardModel Model,
        ImageCard Image,
        Catalogue Catalogue,
        Wish Wish,
        IReadOnlyList<BoardModel> Siblings,
        DryBoot? Dry
    );

    private static readonly IReadOnlyList<(string Rule, Func<Pair, IEnumerable<(Bearing, string)>> Says)> Rules =
    [
        ("instruction-set", InstructionSet),
        ("revision", Revision),
        ("dry-boot", Played),
        ("kernel-line", KernelLine),
        ("boot-medium", BootMedium),
        ("school", Schools),
        ("card-size", CardSize),
        ("memory", Memory),
        ("console", Console),
        ("outputs", Outputs),
        ("first-boot", FirstBoot),
        ("long-term", LongTerm),
    ];

    /// <summary>All images of the catalogue for this board and this wish, best first; a model that is not in the catalogue gives none.</summary>
    /// <param name="played">The dry boots of images on this board, by image, as far as their files were looked into.</param>
    public static IReadOnlyList<Match> Match(
        Board board,
        Catalogue catalogue,
        IReadOnlyDictionary<string, BootRecord> records,
        Wish wish,
        IReadOnlyDictionary<string, DryBoot>? played = null
    )
    {
        if (catalogue.Model(board.ModelId) is not { } model)
            return [];
        var siblings = catalogue.Models.Where(m => m.Processor is not null && m.Processor == model.Processor && m.Id != model.Id).ToList();
        return
        [
            .. catalogue
                .Images.AsParallel()
                .AsOrdered()
                .Select(image =>
                    One(
                        new(board, model, image, catalogue, wish, siblings, played?.GetValueOrDefault(image.Id)),
                        records.GetValueOrDefault(image.Id) ?? BootRecord.Empty
                    )
                )
                .Select(m => (Match: m, Worth: m.Verdict == Verdict.WillNotStart ? 0 : Worth(m, wish)))
                .AsSequential()
                .OrderBy(m => m.Match.Verdict)
                .ThenByDescending(m => m.Worth)
                .Select(m => m.Match),
        ];
    }

    private static Match One(Pair pair, BootRecord record)
    {
        var reasons = new List<Reason>();
        foreach (var (rule, says) in Rules)
        {
            foreach (var (bearing, text) in says(pair))
                reasons.Add(new(rule, bearing, text));
            // Nothing else matters for a processor or a revision that it is not made for.
            if (rule is "instruction-set" or "revision" && reasons.Exists(r => r.Bearing == Bearing.Stops))
                return new(pair.Image, Verdict.WillNotStart, [.. reasons.Where(r => r.Bearing == Bearing.Stops)], record);
        }
        var ordered = Ordered(reasons);
        var verdict = (ordered.Count == 0 ? (Bearing?)null : ordered[0].Bearing) switch
        {
            Bearing.Stops => Verdict.WillNotStart,
            Bearing.Unproven => Verdict.Unproven,
            Bearing.Change => Verdict.FitsAfterChange,
            _ => Verdict.Fits,
        };
        return new(pair.Image, verdict, ordered, record);
    }

    /// <summary>The worst first, else in the order of the rules.</summary>
    private static List<Reason> Ordered(List<Reason> reasons)
    {
        var ordered = new List<Reason>(reasons.Count);
        // What the file itself shows comes before what cards say of it.
        for (var bearing = Bearing.Stops; bearing <= Bearing.Note; bearing++)
            foreach (var seen in (bool[])[true, false])
            foreach (var reason in reasons)
                if (reason.Bearing == bearing && reason.Rule == "dry-boot" == seen)
                    ordered.Add(reason);
        return ordered;
    }

    /// <summary>Inside a group: the lower end of the record weighs most, then the care that is wanted, then the flavour that suits the screen, then what the school asks.</summary>
    private static double Worth(Match match, Wish wish) =>
        match.Record.LowerEnd * 10
        + (match.Image.LongTermUntil is null == wish.LongTerm ? 0 : 1.5)
        + (match.Image.Flavour == "desktop" == wish.Screen ? 1.2 : 0)
        + (wish.LongTerm ? 0 : Newness(match.Image.Kernel))
        - match.Reasons.Count(r => r.Bearing is Bearing.Change) * 0.3
        - (match.Reasons.Any(r => r.Rule == "school" && r.Bearing == Bearing.Note) ? 1 : 0);

    /// <summary>0 to 1: newer kernel lines are higher.</summary>
    private static double Newness(string kernel) => Line(kernel) is var (major, minor) ? Math.Min(1, (major * 20 + minor) / 200.0) : 0;

    /// <summary>Major and minor number of a kernel version; null where it does not begin with two numbers.</summary>
    private static (int Major, int Minor)? Line(ReadOnlySpan<char> version)
    {
        static int Digits(ReadOnlySpan<char> text) => text.IndexOfAnyExceptInRange('0', '9') is var end and >= 0 ? end : text.Length;
        var first = Digits(version);
        if (first == 0 || first >= version.Length || version[first] is not ('.' or '-'))
            return null;
        var rest = version[(first + 1)..];
        return
            int.TryParse(version[..first], System.Globalization.CultureInfo.InvariantCulture, out var major)
            && int.TryParse(rest[..Digits(rest)], System.Globalization.CultureInfo.InvariantCulture, out var minor)
            ? (major, minor)
            : null;
    }

    private static IEnumerable<(Bearing, string)> KernelLine(Pair p)
    {
        if (p.Model.Revision(p.Board.RevisionId)?.KernelFrom is not { } from || Line(p.Image.Kernel) is not { } has)
            yield break;
        if (has.CompareTo(Line(from) ?? Line(from + ".0") ?? has) < 0)
            yield return (Bearing.Stops, $"Revision {p.Board.RevisionId} needs kernel {from} or newer; this image has {p.Image.Kernel}.");
        else
            yield return (Bearing.Good, $"Kernel {p.Image.Kernel} is new enough for revision {p.Board.RevisionId}.");
    }

    /// <summary>What the dry boot of the image's own file found on this board.</summary>
    private static IEnumerable<(Bearing, string)> Played(Pair p)
    {
        if (p.Dry is not { } dry)
            yield break;
        foreach (var link in dry.Broken.Where(_ => dry.Verdict == DryVerdict.DoesNotBoot).Take(3))
            yield return (link.Edit is null ? Bearing.Stops : Bearing.Change, $"Dry boot: {link.Text} {link.Fix}".TrimEnd());
        foreach (var link in dry.Broken.Where(_ => dry.Verdict != DryVerdict.DoesNotBoot).Take(3))
            yield return (link.Edit is null ? Bearing.Note : Bearing.Change, $"Dry boot: {link.Text} {link.Fix}".TrimEnd());
        if (dry.Verdict == DryVerdict.CannotTell)
            yield return (
                Bearing.Unproven,
                $"Dry boot: {dry.Steps.LastOrDefault(s => s.Result == LinkResult.CannotTell)?.Text ?? "it cannot be told whether it boots."}"
            );
        else if (dry.Verdict == DryVerdict.Boots)
            yield return (Bearing.Good, "The dry boot of its file reaches the login on this board.");
    }

    private static IEnumerable<(Bearing, string)> Schools(Pair p)
    {
        switch (p.Wish.School)
        {
            case School.BootMenu when p.Image.Kind == "installer":
                yield return (Bearing.Change, "An installer takes the whole card: install it elsewhere first, then add it to the menu.");
                break;
            case School.BootMenu when p.Image.Chain is "keyvalue":
                yield return (Bearing.Change, "Its loader has no menu: put one that reads extlinux.conf between.");
                break;
            case School.BootMenu when p.Image.RootBy is "device":
                yield return (
                    Bearing.Change,
                    "Names its root by device: behind a menu it must be named by PARTUUID, or it finds the wrong system."
                );
                break;
            case School.BootMenu:
                yield return (
                    Bearing.Note,
                    p.Board.Connected.CardGb is { } gb
                        ? $"{Math.Max(0, p.Catalogue.CardBand.LeastBytes(gb) / Math.Max(1, p.Image.ExpandedBytes + CardPlan.UpdateRoom(p.Image.ExpandedBytes)))} of this size fit behind one menu on the {gb} GB card."
                        : "Say which card, to see how many fit behind one menu."
                );
                break;
            case School.LoaderOnCard
                when !p.Model.BootMedia.Any(m => m is "ssd" or "usb") && p.Model.Ports.All(x => x.Kind is not ("storage" or "usb-host")):
                yield return (Bearing.Stops, "This board has no socket for an SSD or a USB stick.");
                break;
            case School.LoaderOnCard when p.Image.RootBy is "device":
                yield return (Bearing.Change, "Names its root by device: name it by PARTUUID, so that it is found on the SSD.");
                break;
            case School.LoaderOnCard:
                yield return (
                    Bearing.Good,
                    $"The card keeps only loader, kernel and initial files ({Sizes.Binary(SchoolPlan.LoaderBytes)} is plenty); the root is found by its id."
                );
                break;
            case School.FlashLater when p.Model.FlashGb is not { } || !p.Model.BootMedia.Contains("flash"):
                yield return (Bearing.Stops, "This board has no soldered flash that it starts from.");
                break;
            case School.FlashLater
                when p.Catalogue.CardBand.LeastBytes(p.Model.FlashGb!.Value)
                    < p.Image.ExpandedBytes + CardPlan.UpdateRoom(p.Image.ExpandedBytes):
                yield return (
                    Bearing.Stops,
                    $"Takes {Sizes.Binary(p.Image.ExpandedBytes + CardPlan.UpdateRoom(p.Image.ExpandedBytes))} with room for updates; the flash of {p.Model.FlashGb} GB is too small."
                );
                break;
            case School.FlashLater:
                yield return (Bearing.Good, $"Fits into the soldered flash of {p.Model.FlashGb} GB with room for updates.");
                break;
        }
    }

    private static IEnumerable<(Bearing, string)> InstructionSet(Pair p)
    {
        if (p.Model.InstructionSet is not { } own)
            yield return (
                Bearing.Unproven,
                $"Cannot tell without the board's processor: this kernel is for {p.Image.InstructionSet.Words()}. A device tree, or the first lines of a boot log, tell it."
            );
        else if (!own.Starts(p.Image.InstructionSet))
            yield return (Bearing.Stops, $"Kernel is for {p.Image.InstructionSet.Words()}, this board is {own.Words()}.");
    }

    private static IEnumerable<(Bearing, string)> Revision(Pair p)
    {
        if (p.Image.Supports.Count == 0)
            return ByTrees(p);
        var supported = p.Image.Supports.FirstOrDefault(s => s.Model == p.Model.Id);
        return supported is null ? ByMaker(p) : BySupport(p, supported);
    }

    private static IEnumerable<(Bearing, string)> BySupport(Pair p, Supported supported)
    {
        var known = string.Join(" and ", supported.Revisions);
        if (supported.Revisions.Contains(p.Board.RevisionId))
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

    private static IEnumerable<(Bearing, string)> ByMaker(Pair p)
    {
        var sibling = p
            .Image.Supports.Select(s => (Support: s, Model: p.Siblings.FirstOrDefault(m => m.Id == s.Model)))
            .FirstOrDefault(s => s.Model is not null);
        if (sibling.Model is null && p.Model.Processor is null)
            yield return (Bearing.Unproven, $"Cannot tell without the board's processor: made for {Names(p)}.");
        else if (sibling.Model is null)
            yield return (Bearing.Stops, $"Made for {Names(p)}; its loader does not know the {p.Model.Processor} processor.");
        else
            yield return (
                Bearing.Unproven,
                $"Made for {sibling.Model.Name}, which has the same processor. {sibling.Support.Missing ?? Missing(p.Model, sibling.Model)}"
            );
    }

    /// <summary>What the device trees on an inspected image mean for this revision.</summary>
    private static IEnumerable<(Bearing, string)> ByTrees(Pair p)
    {
        var revision = p.Model.Revision(p.Board.RevisionId);
        if (p.Image.InstructionSet == Boards.InstructionSet.Amd64)
            yield return (Bearing.Good, "x86-64 boards describe themselves; no device tree is needed.");
        else if (p.Image.Trees is not { Count: > 0 } trees)
            yield return (Bearing.Unproven, "No device tree is on the image: it starts if this board's loader hands over its own.");
        else if (revision?.Compatible is { } exact && Has(trees, exact))
            yield return (Bearing.Good, $"Carries the device tree of this very revision ({exact}).");
        else if (
            p.Model.Revisions.LastOrDefault(r => r.Id != p.Board.RevisionId && r.Compatible is { } name && Has(trees, name)) is { } other
        )
            yield return (
                Bearing.Unproven,
                $"Carries the device tree of revision {other.Id} only. {(revision?.Changed is { } changed && OlderThan(p.Model, other.Id, p.Board.RevisionId) ? $"What changed since: {Lower(changed)}." : "Expect small things to be missing.")}"
            );
        else if (p.Siblings.FirstOrDefault(m => m.Revisions.Any(r => r.Compatible is { } name && Has(trees, name))) is { } sibling)
            yield return (
                Bearing.Unproven,
                $"Carries the device tree of {sibling.FullName}, which has the same processor. {Missing(p.Model, sibling)}"
            );
        else if (p.Model.Revisions.All(r => r.Compatible is null))
            yield return (
                Bearing.Unproven,
                $"Cannot tell without the board's device-tree name: {trees.Count} device {(trees.Count == 1 ? "tree is" : "trees are")} on the image. Choose the one that is called like the board."
            );
        else
            yield return (
                Bearing.Stops,
                trees.Count == 1
                    ? $"Its only device tree ({trees[0]}) is not for {p.Model.Name}, nor for another board with {(p.Model.Processor is { } one ? $"the {one} processor" : "its processor")}."
                    : $"None of its {trees.Count} device trees is for {p.Model.Name} or another board with {(p.Model.Processor is { } its ? $"the {its} processor" : "its processor")}."
            );
    }

    /// <summary>Names are kept in order, so that hundreds of trees are searched quickly.</summary>
    private static bool Has(IReadOnlyList<string> trees, string name)
    {
        int low = 0,
            high = trees.Count - 1;
        while (low <= high)
        {
            var middle = (low + high) / 2;
            var order = string.CompareOrdinal(trees[middle], name);
            if (order == 0)
                return true;
            if (order < 0)
                low = middle + 1;
            else
                high = middle - 1;
        }
        return false;
    }

    private static bool OlderThan(BoardModel model, string one, string other)
    {
        var ids = model.Revisions.Select(r => r.Id).ToList();
        return ids.IndexOf(one) < ids.IndexOf(other);
    }

    private static string Lower(string text) => char.ToLowerInvariant(text[0]) + text[1..];

    /// <summary>What this board has and the other one lacks, so that its tree cannot describe it.</summary>
    private static string Missing(BoardModel mine, BoardModel other)
    {
        var lost = new List<string>();
        if (
            mine.VideoOutputs.Count > other.VideoOutputs.Count
            || (mine.VideoOutputs.Count > 0 && !mine.VideoOutputs.Select(v => v.Plug).SequenceEqual(other.VideoOutputs.Select(v => v.Plug)))
        )
            lost.Add("display");
        if (mine.Ports.Count(x => x.Kind == "ethernet") > other.Ports.Count(x => x.Kind == "ethernet"))
            lost.Add(other.Ports.Any(x => x.Kind == "ethernet") ? "second Ethernet socket" : "Ethernet");
        if (mine.Wireless is not null && other.Wireless is null)
            lost.Add("wireless");
        if (mine.FlashGb is not null && other.FlashGb is null)
            lost.Add("soldered flash");
        if (!mine.Lights.Select(l => l.Name).SequenceEqual(other.Lights.Select(l => l.Name)))
            lost.Add("the right lights");
        return lost.Count == 0 ? "Expect small things to be missing." : $"Expect to miss: {string.Join(", ", lost)}.";
    }

    private static string Names(Pair p) =>
        string.Join(" and ", p.Image.Supports.Take(3).Select(s => p.Catalogue.Model(s.Model)?.Name ?? s.Model).Distinct());

    private static IEnumerable<(Bearing, string)> BootMedium(Pair p)
    {
        if (p.Model.BootMedia.Count == 0 || p.Image.BootMedia.Count == 0)
        {
            // What a dry boot started needs nobody's word for the medium.
            if (p.Dry?.Verdict != DryVerdict.Boots)
                yield return (
                    Bearing.Unproven,
                    p.Model.BootMedia.Count > 0
                        ? $"Cannot tell without knowing what the image starts from: nobody says. This board looks at {string.Join(", ", p.Model.BootMedia)}."
                    : p.Image.BootMedia.Count > 0
                        ? $"Cannot tell without knowing where the board looks for a system: this image starts from {string.Join(" or ", p.Image.BootMedia)}."
                    : "Cannot tell without knowing where the board looks for a system, and what the image starts from."
                );
            if (p.Board.Connected.CardGb is null && ForCard(p.Image))
                yield return (Bearing.Change, "No card is in this board yet.");
            yield break;
        }
        var onCard = p.Model.BootMedia.Contains("card") && p.Image.BootMedia.Contains("card");
        var common = onCard ? "card" : p.Model.BootMedia.FirstOrDefault(p.Image.BootMedia.Contains);
        if (common is null)
            yield return (
                Bearing.Stops,
                $"Starts from {string.Join(" or ", p.Image.BootMedia)}; this board looks at {string.Join(", ", p.Model.BootMedia)} only."
            );
        else if (onCard && p.Board.Connected.CardGb is null)
            yield return (Bearing.Change, "No card is in this board yet.");
        else if (!onCard)
            yield return (Bearing.Note, $"Goes onto {common}, not onto a card.");
    }

    /// <summary>Whether an image may go onto a card.</summary>
    private static bool ForCard(ImageCard image) => image.BootMedia.Count == 0 || image.BootMedia.Contains("card");

    private static IEnumerable<(Bearing, string)> CardSize(Pair p)
    {
        if (p.Board.Connected.CardGb is not { } card || !ForCard(p.Image) || p.Wish.School is School.LoaderOnCard)
            yield break;
        var plan = CardPlan.For(p.Image, card, p.Catalogue.CardBand);
        if (!plan.Fits)
            yield return (
                Bearing.Change,
                $"Expands to {Sizes.Binary(p.Image.ExpandedBytes)}; the {card} GB card holds {Sizes.Binary(plan.CardBytes)}{(plan.CardMostBytes >= p.Image.ExpandedBytes ? $", at most {Sizes.Binary(plan.CardMostBytes)}: look at what yours really holds" : "")}. Use {p.Image.SmallestCardGb} GB or more."
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
        var needs = p.Image.MinimumMemoryMiB is { } least
            ? $"it needs {Sizes.Memory(least)}"
            : "nothing in the image says how much it needs";
        if (p.Board.MemoryMiB is not { } memory)
        {
            yield return (
                Bearing.Unproven,
                $"Cannot tell without the memory that is fitted: {needs}. The loader's first lines say how much there is."
            );
            yield break;
        }
        if (p.Image.MinimumMemoryMiB is null)
            // A dry boot found room for the kernel and its first files.
            yield return (
                p.Dry?.Verdict == DryVerdict.Boots ? Bearing.Note : Bearing.Unproven,
                $"How much memory it needs is not known: {needs}. This board has {Sizes.Memory(memory)}."
            );
        else if (memory < p.Image.MinimumMemoryMiB)
            yield return (
                Bearing.Stops,
                $"Needs {Sizes.Memory(p.Image.MinimumMemoryMiB.Value)} of memory; this board has {Sizes.Memory(memory)}."
            );
        else if (memory < p.Image.ComfortableMemoryMiB)
            yield return (
                Bearing.Note,
                $"Slow with {Sizes.Memory(memory)}: {Sizes.Memory(p.Image.ComfortableMemoryMiB.Value)} is comfortable."
            );
        if (p.Image.InstructionSet == Boards.InstructionSet.Armhf && memory > 4096)
            yield return (Bearing.Note, "A 32-bit system gives one program 4 GiB at most.");
    }

    private static IEnumerable<(Bearing, string)> Console(Pair p)
    {
        var wanted = p.Model.Console;
        if (wanted.Argument is null || wanted.Speed is null)
            yield return (
                Bearing.Unproven,
                p.Image.ConsoleDevice is { } its
                    ? $"Cannot tell without the board's console {(wanted.Device is null ? "device" : "speed")}: this image prints on {its}. A boot log tells it."
                    : "Cannot tell without the board's console device: this image names none either. A boot log tells it."
            );
        else if (p.Image.ConsoleDevice is null)
            yield return (Bearing.Change, $"No serial console on its command line: add {wanted.Argument}.");
        else if (p.Image.ConsoleDevice == wanted.Device && p.Image.ConsoleSpeed is null)
            yield return (
                p.Dry?.Verdict == DryVerdict.Boots ? Bearing.Note : Bearing.Unproven,
                $"Its console is {wanted.Device}, at a speed that it does not name; this board's is {wanted.Speed}: set {wanted.Argument} to be sure."
            );
        else if (p.Image.ConsoleDevice != wanted.Device || p.Image.ConsoleSpeed != wanted.Speed)
            yield return (
                Bearing.Change,
                $"Its console is {p.Image.ConsoleDevice}{(p.Image.ConsoleSpeed is { } speed ? $" at {speed}" : "")}; this board's is {wanted.Device} at {wanted.Speed}: set {wanted.Argument}."
            );
        else
            yield return (Bearing.Good, "Serial login on by default.");
        if (p.Catalogue.Adapter(p.Board.Connected.AdapterId) is { } adapter && ConsoleWires.Check(adapter, wanted).Refused is { } refused)
            yield return (Bearing.Note, refused);
    }

    private static IEnumerable<(Bearing, string)> Outputs(Pair p)
    {
        if (!p.Wish.Screen)
        {
            if (p.Image.Flavour == "desktop")
                yield return (Bearing.Note, "Wants a screen; none is connected.");
            yield break;
        }
        // A card made from the image itself does not know its outputs.
        if (p.Image.Supports.Count == 0)
            yield break;
        var off = p.Model.VideoOutputs.Select(v => v.Name).Except(p.Image.OutputsOn).ToList();
        if (p.Model.VideoOutputs.Count > 0 && off.Count == p.Model.VideoOutputs.Count)
            yield return (Bearing.Change, $"Leaves every video output dark ({string.Join(", ", off)}); watch the console or turn one on.");
        else if (off.Count > 0)
            yield return (Bearing.Note, $"Leaves {string.Join(" and ", off)} dark.");
    }

    private static IEnumerable<(Bearing, string)> FirstBoot(Pair p)
    {
        if (p.Image.NeedsScreenAtFirstBoot == true && !p.Wish.Screen)
            yield return (Bearing.Change, "Asks its first questions on a screen: connect one, or answer them in first-boot files.");
        if (p.Image.NeedsNetworkAtFirstBoot == true && !p.Board.Connected.Network)
            yield return (Bearing.Change, "Fetches packages at its first boot: connect the network first.");
        if (p.Image.GrowsAtFirstBoot == true)
            yield return (
                Bearing.Note,
                $"Root grows at first boot{(p.Image.FirstBootSeconds is [.., var longest] ? $": allow {Math.Ceiling(longest / 60.0):0} min" : "")}."
            );
        if (p.Image.PasswordChangeForced == true)
            yield return (Bearing.Note, "The first login asks for a new password.");
    }

    private static IEnumerable<(Bearing, string)> LongTerm(Pair p)
    {
        if (p.Image.LongTermUntil is { } year)
            yield return (Bearing.Good, $"Kept up to date until {year}.");
        else if (p.Image.SystemDate is { } day)
            yield return (Bearing.Note, $"Put together on {day}.");
        else
            yield return (
                Bearing.Note,
                p.Image.Supports.Count > 0 ? "Not a long-term release." : "How long it is kept up to date is not known."
            );
    }
}
