using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Matching;

/// <summary>What else decides: kernel, media, memory, console, outputs, first boot, care.</summary>
public static partial class Matcher
{
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

    private static IEnumerable<(Bearing, string)> Layouts(Pair p)
    {
        switch (p.Wish.Layout)
        {
            case StorageLayout.BootMenu when p.Image.Kind == "installer":
                yield return (Bearing.Change, "An installer takes the whole card: install it elsewhere first, then add it to the menu.");
                break;
            case StorageLayout.BootMenu when p.Image.Chain is "keyvalue":
                yield return (Bearing.Change, "Its loader has no menu: put one that reads extlinux.conf between.");
                break;
            case StorageLayout.BootMenu when p.Image.RootBy is "device":
                yield return (
                    Bearing.Change,
                    "Names its root by device: behind a menu it must be named by PARTUUID, or it finds the wrong system."
                );
                break;
            case StorageLayout.BootMenu:
                yield return (
                    Bearing.Note,
                    p.Board.Connected.CardGb is { } gb
                        ? $"{Math.Max(0, p.Catalogue.CardBand.LeastBytes(gb) / Math.Max(1, p.Image.ExpandedBytes + SoldSizes.UpdateRoom(p.Image.ExpandedBytes)))} of this size fit behind one menu on the {gb} GB card."
                        : "Say which card, to see how many fit behind one menu."
                );
                break;
            case StorageLayout.LoaderOnCard
                when !p.Model.BootMedia.Any(m => m is "ssd" or "usb") && p.Model.Ports.All(x => x.Kind is not ("storage" or "usb-host")):
                yield return (Bearing.Stops, "This board has no socket for an SSD or a USB stick.");
                break;
            case StorageLayout.LoaderOnCard when p.Image.RootBy is "device":
                yield return (Bearing.Change, "Names its root by device: name it by PARTUUID, so that it is found on the SSD.");
                break;
            case StorageLayout.LoaderOnCard:
                yield return (
                    Bearing.Good,
                    $"The card keeps only loader, kernel and initial files ({Sizes.Binary(LayoutPlan.LoaderBytes)} is plenty); the root is found by its id."
                );
                break;
            case StorageLayout.FlashLater when p.Model.FlashGb is not { } || !p.Model.BootMedia.Contains("flash"):
                yield return (Bearing.Stops, "This board has no soldered flash that it starts from.");
                break;
            case StorageLayout.FlashLater
                when p.Catalogue.CardBand.LeastBytes(p.Model.FlashGb!.Value)
                    < p.Image.ExpandedBytes + SoldSizes.UpdateRoom(p.Image.ExpandedBytes):
                yield return (
                    Bearing.Stops,
                    $"Takes {Sizes.Binary(p.Image.ExpandedBytes + SoldSizes.UpdateRoom(p.Image.ExpandedBytes))} with room for updates; the flash of {p.Model.FlashGb} GB is too small."
                );
                break;
            case StorageLayout.FlashLater:
                yield return (Bearing.Good, $"Fits into the soldered flash of {p.Model.FlashGb} GB with room for updates.");
                break;
        }
    }

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
    private static bool ForCard(ImageProfile image) => image.BootMedia.Count == 0 || image.BootMedia.Contains("card");

    private static IEnumerable<(Bearing, string)> CardSize(Pair p)
    {
        if (p.Board.Connected.CardGb is not { } card || !ForCard(p.Image) || p.Wish.Layout is StorageLayout.LoaderOnCard)
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
        if (p.Image.InstructionSet == Core.InstructionSet.Armhf && memory > 4096)
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
