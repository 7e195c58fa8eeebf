namespace Buttonhook.Core.Boards;

/// <summary>A board card: everything about one model that decides what will start on it and how it is wired.</summary>
/// <param name="Carrier">The carrier that a module sits on, or null for a board of its own.</param>
/// <param name="BootMedia">Where the boot ROM looks, in its order: card, flash, usb, ssd, network.</param>
/// <param name="Hidden">Stages that this board prints nothing for.</param>
/// <param name="Banner">What its loader prints as the model line.</param>
public sealed record BoardModel(
    string Id,
    string Maker,
    string Name,
    string? Carrier,
    string Processor,
    InstructionSet InstructionSet,
    IReadOnlyList<Revision> Revisions,
    IReadOnlyList<int> MemoryMiB,
    IReadOnlyList<string> BootMedia,
    ConsolePort Console,
    PowerInput Power,
    IReadOnlyList<string> VideoOutputs,
    IReadOnlyList<Light> Lights,
    IReadOnlyList<string> Hidden,
    string Banner,
    IReadOnlyList<string> Quirks
)
{
    /// <summary>The revision with this id, or null.</summary>
    public Revision? Revision(string id) => Revisions.FirstOrDefault(r => r.Id == id);
}

/// <summary>One revision of a model: the printed mark, where it stands, the device-tree name, and what changed.</summary>
public sealed record Revision(string Id, string Mark, string Where, string Compatible, string? Changed);

/// <summary>The serial console: Linux device name, rate in bits per second, signal level, and the pins.</summary>
public sealed record ConsolePort(string Device, int Speed, ConsoleLevel Level, string Pins);

/// <summary>Signal levels of a console; RS-232 destroys a logic-level pin.</summary>
public enum ConsoleLevel
{
    /// <summary>1.8 V logic.</summary>
    Logic18,

    /// <summary>3.3 V logic.</summary>
    Logic33,

    /// <summary>5 V logic.</summary>
    Logic5,

    /// <summary>RS-232, both polarities, up to 15 V.</summary>
    Rs232,
}

/// <summary>Words for levels.</summary>
public static class ConsoleLevels
{
    /// <summary>The plain name ("3.3 V logic").</summary>
    public static string Words(this ConsoleLevel level) =>
        level switch
        {
            ConsoleLevel.Logic18 => "1.8 V logic",
            ConsoleLevel.Logic33 => "3.3 V logic",
            ConsoleLevel.Logic5 => "5 V logic",
            _ => "RS-232",
        };
}

/// <summary>The supply a board wants: volts, amperes at the board in a busy boot, and the connector.</summary>
public sealed record PowerInput(double Volts, double Amps, string Connector);

/// <summary>What a light means.</summary>
public sealed record Light(string Name, string Pattern, string Meaning);
