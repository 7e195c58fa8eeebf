using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Connecting;

/// <summary>One thing to do or to look at before power is applied.</summary>
/// <param name="Caution">What can be hurt at this step, or null.</param>
public sealed record PowerStep(string Text, string? Caution);

/// <summary>What to do before power, for this board, this image and these parts, in the order of the hands.</summary>
public static class BeforePower
{
    /// <summary>The list.</summary>
    /// <param name="onCard">Whether something shows that the image is on the card.</param>
    /// <param name="sag">Where a log of this card shows that the supply sagged, or null.</param>
    public static IReadOnlyList<PowerStep> List(
        Board board,
        BoardProfile model,
        ImageProfile? image,
        Catalogue catalogue,
        bool onCard = false,
        SupplySag? sag = null
    )
    {
        var list = new List<PowerStep>();
        void Do(string text, string? caution = null) => list.Add(new(text, caution));
        if (model.Carrier is { } carrier)
            Do(
                $"Press the {model.Name} onto the {carrier} until both connectors have clicked.",
                "Power off before a module is seated; touch grounded metal first."
            );
        foreach (var button in model.Switches)
            Do(
                $"{button.Where}: {button.Setting} {Lower(button.Effect)}. Set it for {(board.Connected.CardGb is not null && model.BootMedia.Contains("card") ? "the card" : model.BootMedia is [var first, ..] ? first : "the medium that you use")}."
            );
        if (board.Connected.CardGb is { } gb)
            Do($"Push the {gb} GB card home{(image is null || !onCard ? "" : $", with {image.Title} on it")}.");
        if (model.Wireless?.Antenna is { } antenna)
            Do($"Antenna: {antenna.TrimEnd('.')}.");
        if (model.Cooling is { } cooling)
            Do($"Cooling: {Lower(cooling).TrimEnd('.')}.", "A heatsink burns fingers minutes after power off.");
        if (board.Connected.Screen)
        {
            var output = model.VideoOutputs.FirstOrDefault(v =>
                image is null
                || image.OutputsOn.Count == 0
                || image.OutputsOn.Any(o => v.Name.StartsWith(o, StringComparison.OrdinalIgnoreCase))
            );
            if (output is not null)
                Do(
                    output.Plug switch
                    {
                        "before-power" => $"Plug the screen into {output.Name} before power; later it stays dark.",
                        "after-power" => $"Plug the screen into {output.Name} only after power.",
                        _ => $"Plug the screen into {output.Name}.",
                    } + (output.Note is { } note ? $" {note.TrimEnd('.')}." : "")
                );
            else if (model.VideoOutputs.Count == 0)
                Do("Leave the screen: this board has no video output.");
            else
                Do($"{image!.Title} shows nothing on {string.Join(", ", model.VideoOutputs.Select(v => v.Name))}: watch the console.");
        }
        if (board.Connected.Network && model.Ports.FirstOrDefault(p => p.Kind == "ethernet") is { } socket)
            Do($"Network cable: {Lower(socket.Name)}{(socket.Note is { } note ? $", {Lower(note).TrimEnd('.')}" : "")}.");
        foreach (var part in (board.Connected.Parts ?? []).Select(id => catalogue.Parts.FirstOrDefault(p => p.Id == id)).OfType<FedPart>())
            if (part.OnUsb)
                Do($"{part.Name}: onto a USB socket.");
            else
                Do($"{part.Name}: connected before power.", "A cable goes onto a header with the power off, every pin in its row.");
        // The caution of the wires stands at their drawing.
        if (catalogue.Adapter(board.Connected.AdapterId) is { } adapter && ConsoleWires.Check(adapter, model.Console).MayBeWired)
            Do(
                model.Console.Speed is { } speed
                    ? $"Wire the console, then open it at {speed} 8N1: an empty window is right until power."
                    : "Wire the console, then open it at 115200 8N1 to begin with: the speed is not known, and is told from what arrives."
            );
        else if (
            catalogue.Adapter(board.Connected.AdapterId) is { } other
            && ConsoleWires.Check(other, model.Console).Measure is { } measure
        )
            Do(measure, ConsoleWires.CautionFor(model.Console.Level));
        var supply = SupplyCheck.Check(board.Connected, model.Power, catalogue, sag);
        Do(
            supply.Enough switch
            {
                true => $"Supply into the {model.Power.Connector} socket, last of all.",
                false => $"Leave the supply: {supply.Text}",
                null => $"Supply last of all, and with nothing attached until this is known: {supply.Missing}.",
            },
            "Never open a mains adapter; where wiring leaves the bench, local codes and a licensed electrician decide."
        );
        if (model.Lights.Count > 0)
            Do(
                $"Watch the lights: {string.Join("; ", model.Lights.Select(l => Lower(l.Name) + (l.Pattern is { } pattern ? $", {Lower(pattern)}" : "") + (l.Meaning is { } meaning ? $": {Lower(meaning)}" : "")))}."
            );
        return list;
    }

    private static string Lower(string text) =>
        text.Length > 1 && char.IsUpper(text[0]) && !char.IsUpper(text[1]) ? char.ToLowerInvariant(text[0]) + text[1..] : text;
}
