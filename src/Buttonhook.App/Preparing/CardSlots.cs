using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Hardware.Cards;
using Buttonhook.Storage;

namespace Buttonhook.App.Preparing;

/// <summary>A slot that a card can be written in.</summary>
/// <param name="Setup">What the card of a simulated slot is; null for a real one.</param>
/// <param name="Refused">Why it may not be written, or null.</param>
/// <param name="Confirm">What must be typed before a real card is erased: its size in whole GB; null for a simulated one.</param>
public sealed record CardSlot(string Id, string Name, long Bytes, SimulatedCardSetup? Setup, string? Refused, string? Confirm);

/// <summary>The slots: simulated ones that lie in files, and real removable devices when the program was started for them.</summary>
public sealed class CardSlots(BenchOptions options, PreparationStore store, StandInImages files)
{
    private const string RealPrefix = "dev-";

    /// <summary>The slot that is no card but a file beside the image.</summary>
    public const string CopyId = "copy";
    private string Folder => Path.Combine(options.DataFolder, "cards");

    /// <summary>All slots, real ones first; for a raw image also a file that takes a copy of it.</summary>
    public IReadOnlyList<CardSlot> All(ImageProfile? image)
    {
        var real = options.CardDevices
            ? BlockDevices
                .All()
                .Select(d => new CardSlot(
                    RealPrefix + Path.GetFileName(d.Device),
                    $"{d.Name} at {d.Device}",
                    d.Bytes,
                    null,
                    d.Refused
                        ?? (image is not null && files.IsStandIn(image) ? "stand-ins of the demo go into simulated slots only" : null),
                    ((int)Math.Round(d.Bytes / 1e9)).ToString(System.Globalization.CultureInfo.InvariantCulture)
                ))
            : [];
        return
        [
            .. real,
            .. store
                .Slots()
                .Select(s => (s.Id, s.Name, Setup: JsonSerializer.Deserialize<SimulatedCardSetup>(s.Setup, DataFile.Json)!))
                .Select(s => new CardSlot(s.Id, s.Name, Sizes.CardBytes(s.Setup.LabelGb), s.Setup, null, null)),
            .. image is { Kind: not "installer" }
                ?
                [
                    new CardSlot(
                        CopyId,
                        $"A copy of the {(files.IsStandIn(image) ? "stand-in" : "image")}, {CopyOf(image)}",
                        image.ExpandedBytes,
                        null,
                        null,
                        null
                    ),
                ]
                : Array.Empty<CardSlot>(),
        ];
    }

    private string CopyOf(ImageProfile image) => Path.Combine(options.DataFolder, "images", $"prepared-{image.Id}.img");

    /// <summary>The slot with this id, or null.</summary>
    public CardSlot? Find(string id, ImageProfile? image) => All(image).FirstOrDefault(s => s.Id == id);

    /// <summary>Changes the card of a simulated slot for another, empty one.</summary>
    public Problem? Change(string id, string name, SimulatedCardSetup setup)
    {
        if (
            !id.All(c => char.IsAsciiLetterOrDigit(c) || c == '-')
            || id.StartsWith(RealPrefix, StringComparison.Ordinal)
            || id.Length is 0 or > 40
        )
            return new("A simulated slot has an id of letters, digits and dashes.", $"“{id}” is none.", "Choose one of the slots.");
        if (setup.LabelGb is < 1 or > 2048 || setup.TrueGb is < 1 || setup.MegabytesPerSecond is not (>= 0.1 and <= 2000))
            return new(
                "A card has 1 to 2048 GB and is written with 0.1 to 2000 MB a second.",
                $"{setup.LabelGb} GB, {setup.MegabytesPerSecond} MB a second.",
                "Correct the numbers."
            );
        Directory.CreateDirectory(Folder);
        File.Delete(FileOf(id));
        store.SetSlot(id, name, JsonSerializer.Serialize(setup, DataFile.Json));
        return null;
    }

    /// <summary>Opens the card of a slot; what stands in the way is a problem.</summary>
    public Answer<CardDevice> Open(CardSlot slot, ImageProfile? image, CancellationToken token)
    {
        try
        {
            if (slot.Refused is { } refused)
                return new Problem(
                    "The card should be free to be written.",
                    $"{slot.Name}: {refused}.",
                    "Choose another one, or take it out of use first."
                );
            if (slot.Id == CopyId && image is not null)
            {
                Directory.CreateDirectory(Path.GetDirectoryName(CopyOf(image))!);
                return new FileCard(CopyOf(image), slot.Bytes);
            }
            if (slot.Setup is not { } setup)
                return new BlockCard("/dev/" + slot.Id[RealPrefix.Length..], slot.Bytes);
            Directory.CreateDirectory(Folder);
            return new SimulatedCard(FileOf(slot.Id), setup, options.Pace, token);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return new Problem("The card should open.", e.Message, "Check whether it is in its slot, and who may write it.");
        }
    }

    private string FileOf(string id) => Path.Combine(Folder, id + ".img");
}
