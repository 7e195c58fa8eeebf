using System.Globalization;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>A part of a person's own, as it is printed on it.</summary>
/// <param name="Kind">supply, part or adapter.</param>
/// <param name="Name">Empty for a supply that is called by its print.</param>
/// <param name="Watts">What a part takes, when its print says watts.</param>
/// <param name="Plug">What a supply ends in, or null.</param>
/// <param name="OnUsb">Whether a part hangs on a USB socket.</param>
/// <param name="Level">The level that an adapter speaks.</param>
/// <param name="MaxSpeed">The highest rate of an adapter in bits a second; not needed where its chip is known.</param>
/// <param name="Usb">The ids of an adapter that is plugged in (vendor:product), as the system gives them; or null.</param>
public sealed record PartInput(
    string Kind,
    string Name,
    double? Volts,
    double? Amps,
    double? Watts,
    string? Plug,
    bool OnUsb,
    ConsoleLevel? Level,
    int? MaxSpeed,
    string? Usb = null
);

/// <summary>The kind and id of a part.</summary>
public sealed record PartAdded(string Kind, string Id);

/// <summary>Supplies, parts and adapters that a person adds by what is printed on them.</summary>
public static class PartEndpoints
{
    /// <summary>What USB gives before anything is agreed (USB 2.0, 7.2.2), in volts.</summary>
    private const double UsbVolts = 5;

    /// <summary>Adds the routes.</summary>
    public static void MapParts(this RouteGroupBuilder api)
    {
        api.MapPost("/parts", Add).Produces<PartAdded>();
    }

    private static string N(double number) => number.ToString("0.##", CultureInfo.InvariantCulture);

    private static IResult Add(PartInput input, PartStore store, Profiles profiles, TimeProvider clock)
    {
        var name = input.Name.Trim();
        if (name.Length > 60)
            return new Problem("A part has a name of up to 60 letters.", $"This one has {name.Length}.", "Shorten it.").Answer();
        Problem? Between(double? value, double most, string what) =>
            value is > 0 && value <= most
                ? null
                : new(
                    $"{what} are told, up to {N(most)}.",
                    value is null ? "They are missing." : $"{N(value.Value)} are not possible.",
                    "Read them off the print."
                );
        var id = $"own-{Guid.NewGuid():N}"[..16];
        switch (input.Kind)
        {
            case "supply":
                if ((Between(input.Volts, 60, "The volts of a supply") ?? Between(input.Amps, 30, "The amperes of a supply")) is { } wrong)
                    return wrong.Answer();
                var plug = string.IsNullOrWhiteSpace(input.Plug) ? null : input.Plug.Trim();
                var print = $"{N(input.Volts!.Value)} V, {N(input.Amps!.Value)} A{(plug is null ? "" : $" with {plug}")}";
                store.Add(
                    "supply",
                    id,
                    new Supply(id, name.Length > 0 ? $"{name}, {print}" : print, input.Volts.Value, input.Amps.Value, null, plug),
                    clock.GetUtcNow()
                );
                break;
            case "part":
                var volts = input.Volts ?? (input.OnUsb ? UsbVolts : null);
                var amps = input.Amps ?? input.Watts / volts;
                if (name.Length == 0)
                    return new Problem("A part has a name.", "There is none.", "Say what it is.").Answer();
                if (input.Amps is null && input.Watts is not null && volts is null)
                    return new Problem(
                        "Watts become amperes at a voltage.",
                        "It hangs on no USB socket, and its volts are not told.",
                        "Read its volts off the print too."
                    ).Answer();
                if (Between(amps, 20, "The watts or amperes of a part") is { } none)
                    return none.Answer();
                store.Add("part", id, new FedPart(id, name, Math.Round(amps!.Value, 3), input.OnUsb), clock.GetUtcNow());
                break;
            case "adapter":
                if (name.Length == 0)
                    return new Problem("An adapter has a name.", "There is none.", "Call it as it is printed.").Answer();
                if (input.Level is not { } level)
                    return new Problem(
                        "The level of an adapter is told.",
                        "It is missing.",
                        "Read it off the print, or measure its transmit wire."
                    ).Answer();
                var chip = profiles.Catalogue.Chips.FirstOrDefault(c => input.Usb is not null && c.Usb.Contains(input.Usb));
                var most = input.MaxSpeed ?? chip?.MaxSpeed;
                if (Between(most, 12_000_000, "The bits a second of an adapter") is { } slow)
                    return slow.Answer();
                store.Add(
                    "adapter",
                    id,
                    new ConsoleAdapter(
                        id,
                        name,
                        [level],
                        most!.Value,
                        level == ConsoleLevel.Rs232 ? "nine-pin" : "loose wires",
                        chip?.Clocks
                    ),
                    clock.GetUtcNow()
                );
                break;
            default:
                return new Problem(
                    "A part is a supply, a part that a board feeds, or an adapter.",
                    $"{input.Kind} is none.",
                    "Choose one."
                ).Answer();
        }
        profiles.Changed();
        return Results.Ok(new PartAdded(input.Kind, id));
    }
}
