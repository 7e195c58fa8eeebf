namespace Buttonhook.Core.Boards;

/// <summary>A board card: everything about one model that decides what will start on it and how it is wired. The file format is published in docs/formats.</summary>
/// <param name="Format">Always <see cref="CardFormat"/>.</param>
/// <param name="Carrier">The carrier that a module sits on, or null for a board of its own.</param>
/// <param name="BootMedia">Where the boot ROM looks, in its order: card, flash, usb, ssd, network.</param>
/// <param name="Loader">How its loader finds a system: distro (extlinux.conf or a boot script), efi, bios, keyvalue.</param>
/// <param name="FirstLoader">What the boot ROM expects on a card, or null when its loader lies elsewhere or is not known.</param>
/// <param name="FlashGb">Soldered flash as sold, in GB; null when there is none.</param>
/// <param name="Switches">Straps and switches that change where it starts from.</param>
/// <param name="Hidden">Stages that this board prints nothing for.</param>
/// <param name="Banner">What its loader prints as the model line.</param>
/// <param name="Wireless">Null when no radio is fitted.</param>
/// <param name="Cooling">What it needs against heat, or null for nothing.</param>
public sealed record BoardModel(
    string Format,
    string Id,
    string Maker,
    string Name,
    string? Carrier,
    string Processor,
    InstructionSet InstructionSet,
    IReadOnlyList<Revision> Revisions,
    IReadOnlyList<int> MemoryMiB,
    IReadOnlyList<string> BootMedia,
    string Loader,
    FirstLoaderPlace? FirstLoader,
    int? FlashGb,
    IReadOnlyList<BootSwitch> Switches,
    ConsolePort Console,
    PowerInput Power,
    IReadOnlyList<VideoOutput> VideoOutputs,
    IReadOnlyList<Light> Lights,
    IReadOnlyList<string> Hidden,
    string Banner,
    IReadOnlyList<BoardPort> Ports,
    Wireless? Wireless,
    string? Cooling,
    IReadOnlyList<Quirk> Quirks
)
{
    /// <summary>The name and version of the file format.</summary>
    public const string CardFormat = "buttonhook.board/1";

    /// <summary>The revision with this id, or null.</summary>
    public Revision? Revision(string id) => Revisions.FirstOrDefault(r => r.Id == id);
}

/// <summary>One revision of a model.</summary>
/// <param name="Mark">What is printed on it.</param>
/// <param name="Where">Where the mark stands.</param>
/// <param name="Codes">Codes that a running system shows for it, in hexadecimal.</param>
/// <param name="Compatible">Its device-tree name.</param>
/// <param name="Changed">What changed against the revision before, or null.</param>
/// <param name="KernelFrom">The oldest kernel that starts it ("6.1"), or null when any does.</param>
public sealed record Revision(
    string Id,
    string Mark,
    string Where,
    IReadOnlyList<string> Codes,
    string Compatible,
    string? Changed,
    string? KernelFrom
);

/// <summary>Where the boot ROM finds its first loader on a card, in bytes from the start, and the bytes that must stand there in hexadecimal.</summary>
public sealed record FirstLoaderPlace(long At, string Bytes, string Name);

/// <summary>A strap or switch: where it is, and what each setting does.</summary>
public sealed record BootSwitch(string Where, string Setting, string Effect);

/// <summary>The serial console: Linux device name, rate in bits per second, signal level, where it is, and the labels of its three pins.</summary>
public sealed record ConsolePort(string Device, int Speed, ConsoleLevel Level, string Where, string Ground, string Transmit, string Receive)
{
    /// <summary>Place and pins as one sentence ("Header: 6 ground, 8 transmit, 10 receive").</summary>
    public string Pins => $"{Where}: {Ground} ground, {Transmit} transmit, {Receive} receive";
}

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

    /// <summary>Nobody knows: it is measured before anything is connected.</summary>
    Unknown,
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
            ConsoleLevel.Rs232 => "RS-232",
            _ => "of an unknown level",
        };
}

/// <summary>The supply a board wants.</summary>
/// <param name="Volts">Nominal volts.</param>
/// <param name="Amps">Amperes at the board in a busy boot, without anything plugged into it.</param>
/// <param name="IdleAmps">Amperes when it waits at the login.</param>
/// <param name="MinimumVolts">Below this at the board it resets or throttles.</param>
/// <param name="Negotiates">Whether the supply must agree by USB power delivery to give the full current.</param>
/// <param name="UsbAmps">What its USB sockets give together; 0 when it has none.</param>
public sealed record PowerInput(
    double Volts,
    double Amps,
    double IdleAmps,
    double MinimumVolts,
    string Connector,
    bool Negotiates,
    double UsbAmps = 0
);

/// <summary>A video socket: before-power, after-power or any, for when the display is plugged in; a note, or null.</summary>
public sealed record VideoOutput(string Name, string Plug, string? Note);

/// <summary>What a light means.</summary>
public sealed record Light(string Name, string Pattern, string Meaning);

/// <summary>A port: its kind (ethernet, usb-host, usb-device, usb-power, audio, camera, header, storage), name and a note, or null.</summary>
public sealed record BoardPort(string Kind, string Name, string? Note);

/// <summary>The radio: its bands, and where the antenna goes (null: on the board).</summary>
public sealed record Wireless(string Bands, string? Antenna);

/// <summary>Something odd about a model, and where that is known from.</summary>
public sealed record Quirk(string Text, string Source);
