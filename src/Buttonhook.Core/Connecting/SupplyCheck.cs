using System.Globalization;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Connecting;

/// <summary>One thing that takes current, in amperes at its worst moment.</summary>
public sealed record Consumer(string Name, double Amps);

/// <summary>Whether a supply is enough for a board and what hangs on it, with the numbers.</summary>
/// <param name="Enough">Null when it cannot be told, because something is not known.</param>
/// <param name="Text">The verdict as a sentence with the margin.</param>
/// <param name="NeedAmps">Board and parts together while it boots; at least this much when the board's own is not known.</param>
/// <param name="GivesAmps">What this supply gives to this board; null when none is chosen.</param>
/// <param name="CableOhms">There and back, plugs included; null when no cable is named.</param>
/// <param name="VoltsAtBoard">What arrives while it boots; null when no cable is named.</param>
/// <param name="ChangeTitle">That change in a few words; null when there is none.</param>
/// <param name="Missing">The fact that would change most, when it cannot be told; else null.</param>
/// <param name="Change">The cheapest change that makes it enough; null when it is, or when nothing in the catalogue does.</param>
public sealed record SupplyVerdict(
    bool? Enough,
    string Text,
    IReadOnlyList<Consumer> Consumers,
    double NeedAmps,
    double? GivesAmps,
    double? CableOhms,
    double? VoltsAtBoard,
    [property: System.Text.Json.Serialization.JsonIgnore] string? ChangeTitle,
    string? Change,
    string? Missing = null
);

/// <summary>A supply that sagged, as a log shows it: the boot, the line, and the volts if the line tells them.</summary>
public sealed record SupplySag(int BootNumber, int Line, double? Volts);

/// <summary>Supply against need, in volts and amperes at the board.</summary>
public static class SupplyCheck
{
    // Copper at 20 °C, in ohm square millimetres a metre.
    private const double Copper = 0.0175;

    /// <summary>What helps when nothing cheaper does.</summary>
    public const string AnotherSupply = "Use another supply";

    /// <summary>The verdict for a board as it is connected; a missing supply is not enough.</summary>
    /// <param name="sag">What a log shows of the supply: it counts more than the prints.</param>
    public static SupplyVerdict Check(Connected connected, PowerInput need, Catalogue catalogue, SupplySag? sag = null)
    {
        var supply = catalogue.Supply(connected.SupplyId);
        var cable = catalogue.Cables.FirstOrDefault(c => c.Id == connected.CableId);
        var parts = (connected.Parts ?? []).Select(id => catalogue.Parts.FirstOrDefault(p => p.Id == id)).OfType<FedPart>().ToList();
        var verdict = Check(supply, cable, parts, need);
        if (verdict.Enough != false && sag is not null)
            return verdict with
            {
                Enough = false,
                Text =
                    $"{(verdict.Enough == true ? "Enough on paper, yet " : "")}{(sag.Volts is { } volts ? $"{V(volts)} V arrived" : "the supply sagged")} (boot {sag.BootNumber}, line {sag.Line}): cable or contacts. {verdict.Text}",
                ChangeTitle = "Look at the cable and its contacts",
                Change =
                    "Measure the volts at the board's own pins while it boots; take a shorter and thicker cable, and press every plug home.",
            };
        if (verdict.Enough == null)
            return verdict with { ChangeTitle = "Read what the board takes", Change = SafeWay };
        if (verdict.Enough == true || Cheapest(supply, cable, parts, need, catalogue) is not var (title, change))
            return verdict;
        return verdict with { ChangeTitle = title, Change = change };
    }

    /// <summary>The verdict for these parts, without looking for a change.</summary>
    public static SupplyVerdict Check(Supply? supply, SupplyCable? cable, IReadOnlyList<FedPart> parts, PowerInput need)
    {
        var consumers = parts
            .Select(p => new Consumer(p.Name, p.Amps))
            .Concat(need.Amps is { } own ? [new Consumer("The board while it boots", own)] : [])
            .OrderByDescending(c => c.Amps)
            .ToList();
        var amps = consumers.Sum(c => c.Amps);
        double? ohms = cable is null ? null : Copper * 2 * cable.Metres / cable.SquareMillimetres + cable.PlugOhms;
        double? gives =
            supply is null ? null
            : supply.AmpsUntilAsked is { } fewer && need.Negotiates != true ? fewer
            : supply.Amps;
        double? arrives = supply is null || ohms is null ? null : supply.Volts - amps * ohms;
        var least = need.Amps is null ? "at least " : "";
        SupplyVerdict Say(bool enough, string text) => new(enough, text, consumers, amps, gives, ohms, arrives, null, null);
        SupplyVerdict CannotTell(string missing, string why) =>
            new(null, $"Cannot tell without {missing}: {why}", consumers, amps, gives, ohms, arrives, null, null, missing);
        if (supply is null || gives is null)
            return need.Volts is { } wanted
                ? Say(false, $"Needs {N(wanted)} V and {least}{N(amps)} A at the board; no supply is chosen.")
                : CannotTell("the volts that the board takes", $"no supply is chosen, and nothing tells which one it needs.{HintOf(need)}");
        if (need.Volts is { } volts && Math.Abs(supply.Volts - volts) > 0.3)
            return Say(false, $"Needs {N(volts)} V; this supply gives {N(supply.Volts)} V. Do not plug it in.");
        if (
            supply.Plug is { } plug
            && need.Connector is { Length: > 0 }
            && !plug.Equals(need.Connector, StringComparison.OrdinalIgnoreCase)
        )
            return Say(false, $"This supply ends in {plug}; the board takes {need.Connector}.");
        var unasked = gives < supply.Amps ? $" of its {N(supply.Amps)} A, since this board does not ask for more" : "";
        if (gives < amps)
            return Say(
                false,
                $"Needs {least}{N(amps)} A at the board; this supply gives {N(gives.Value)} A{unasked}.{(parts.Count > 0 ? $" {consumers[0].Name} takes the most, {N(consumers[0].Amps)} A." : "")}"
            );
        var usb = parts.Where(p => p.OnUsb).Sum(p => p.Amps);
        if (need.UsbAmps is { } most and > 0 && usb > most)
            return Say(
                false,
                $"The USB sockets give {N(most)} A together; {string.Join(", ", parts.Where(p => p.OnUsb).Select(p => p.Name.ToLowerInvariant()))} take {N(usb)} A."
            );
        if (arrives is { } low && need.MinimumVolts is { } minimum && low < minimum)
            return Say(
                false,
                $"{V(low)} V arrive at the board, it needs {V(minimum)} V: the cable loses {V(supply.Volts - low)} V at {N(amps)} A."
            );
        if (need.Volts is null)
            return CannotTell("the volts that the board takes", $"another voltage than its own can destroy it.{HintOf(need)}");
        if (need.Amps is null)
            return CannotTell(
                "the amperes that the board takes",
                $"this supply gives {N(gives.Value)} A, and the board's own part is not known."
            );
        if (need.Connector is null && supply.Plug is not null)
            return CannotTell("the socket of the board", $"this supply ends in {supply.Plug}.");
        if (arrives is not null && need.MinimumVolts is null)
            return CannotTell(
                "the volts below which the board resets",
                $"{V(arrives.Value)} V arrive behind the cable, and nothing tells whether that is enough."
            );
        if (usb > 0 && need.UsbAmps is null)
            return CannotTell("what its USB sockets give together", $"what hangs on them takes {N(usb)} A.");
        return Say(
            true,
            $"Needs {N(amps)} A at the board; this supply gives {N(gives.Value)} A{unasked}, {N(gives.Value - amps)} A to spare."
                + (arrives is { } at && need.MinimumVolts is { } from ? $" {V(at)} V arrive, {V(at - from)} V to spare." : "")
        );
    }

    /// <summary>A cable costs less than leaving a part out, that less than another supply.</summary>
    private static (string Title, string Text)? Cheapest(
        Supply? supply,
        SupplyCable? cable,
        List<FedPart> parts,
        PowerInput need,
        Catalogue catalogue
    )
    {
        if (supply is not null && cable is not null)
            foreach (var other in catalogue.Cables.Where(c => c != cable).OrderBy(c => c.Metres / c.SquareMillimetres))
                if (Check(supply, other, parts, need) is { Enough: true, VoltsAtBoard: { } volts })
                    return ("Use another cable", $"Take this cable: {other.Name}. Then {V(volts)} V arrive.");
        foreach (var part in parts.OrderByDescending(p => p.Amps))
            if (Check(supply, cable, [.. parts.Where(p => p != part)], need).Enough == true)
                return ("Feed a part from its own supply", $"Feed this part from its own supply: {part.Name}, {N(part.Amps)} A.");
        // What is offered has a tenth to spare: prints are round, and needs are estimates.
        bool Spare(SupplyVerdict v) => v is { Enough: true, GivesAmps: { } gives } && gives >= v.NeedAmps * 1.1;
        foreach (var other in catalogue.Supplies.OrderBy(s => s.Amps * s.Volts))
            if (Spare(Check(other, cable, parts, need)))
                return (AnotherSupply, $"Take this supply: {other.Name}.");
        foreach (var other in catalogue.Supplies.OrderBy(s => s.Amps * s.Volts))
        foreach (var better in catalogue.Cables)
            if (Spare(Check(other, better, parts, need)))
                return (AnotherSupply, $"Take this supply and this cable: {other.Name}; {better.Name}.");
        return null;
    }

    /// <summary>What to do while the need of a board is not known.</summary>
    private const string SafeWay =
        "Read the print beside the socket or the maker's notes, and put it into the board's profile. Until then start with nothing attached, from a supply that can limit its current, and measure the volts at the board.";

    private static string HintOf(PowerInput need) => need.Hint is { } hint ? $" A hint, no proof: {hint}." : "";

    private static string N(double value) => value.ToString("0.0", CultureInfo.InvariantCulture);

    private static string V(double value) => value.ToString("0.00", CultureInfo.InvariantCulture);
}
