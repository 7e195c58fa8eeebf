namespace Buttonhook.Core.Boards;

/// <summary>A board profile: everything about one model that decides what will start on it and how it is wired. The file format is published in docs/formats.</summary>
/// <param name="Format">Always <see cref="ProfileFormat"/>.</param>
/// <param name="Maker">Null when nothing tells who made it.</param>
/// <param name="Processor">Null when nothing tells.</param>
/// <param name="InstructionSet">Null when nothing tells.</param>
/// <param name="MemoryMiB">The sizes that it is sold with; empty when none is known.</param>
/// <param name="Carrier">The carrier that a module sits on, or null for a board of its own.</param>
/// <param name="BootMedia">Where the boot ROM looks, in its order: card, flash, usb, ssd, network; empty when nobody knows.</param>
/// <param name="Loader">How its loader finds a system: distro (extlinux.conf or a boot script), efi, bios, keyvalue; null when nobody knows.</param>
/// <param name="FirstLoader">What the boot ROM expects on a card, or null when its loader lies elsewhere or is not known.</param>
/// <param name="FlashGb">Soldered flash as sold, in GB; null when there is none.</param>
/// <param name="Switches">Straps and switches that change where it starts from.</param>
/// <param name="Hidden">Stages that this board prints nothing for.</param>
/// <param name="Banner">What its loader prints as the model line; null when nobody knows.</param>
/// <param name="Wireless">Null when no radio is fitted.</param>
/// <param name="Cooling">What it needs against heat, or null for nothing.</param>
/// <param name="Sources">Where each fact is known from, by the name of its field ("console.device"); a field that is not in it is the card author's.</param>
public sealed record BoardProfile(
    string Format,
    string Id,
    string? Maker,
    string Name,
    string? Carrier,
    string? Processor,
    InstructionSet? InstructionSet,
    IReadOnlyList<Revision> Revisions,
    IReadOnlyList<int> MemoryMiB,
    IReadOnlyList<string> BootMedia,
    string? Loader,
    FirstLoaderPlace? FirstLoader,
    int? FlashGb,
    IReadOnlyList<BootSwitch> Switches,
    ConsolePort Console,
    PowerInput Power,
    IReadOnlyList<VideoOutput> VideoOutputs,
    IReadOnlyList<Light> Lights,
    IReadOnlyList<string> Hidden,
    string? Banner,
    IReadOnlyList<BoardPort> Ports,
    Wireless? Wireless,
    string? Cooling,
    IReadOnlyList<Quirk> Quirks,
    IReadOnlyDictionary<string, string>? Sources = null
)
{
    /// <summary>The name and version of the file format.</summary>
    public const string ProfileFormat = "buttonhook.board/1";

    /// <summary>Maker and name, as far as they are known.</summary>
    public string FullName => Maker is null ? Name : $"{Maker} {Name}";

    /// <summary>Where a field is known from ("the profile's author" unless its card says otherwise).</summary>
    public string SourceOf(string field) => Sources?.GetValueOrDefault(field) ?? "the profile's author";

    /// <summary>The revision with this id, or null.</summary>
    public Revision? Revision(string id) => Revisions.FirstOrDefault(r => r.Id == id);
}

/// <summary>One revision of a model.</summary>
/// <param name="Mark">What is printed on it; null when nobody looked.</param>
/// <param name="Where">Where the mark stands, or null.</param>
/// <param name="Codes">Codes that a running system shows for it, in hexadecimal.</param>
/// <param name="Compatible">Its device-tree name; null when none is known, as of boards that need no tree.</param>
/// <param name="Changed">What changed against the revision before, or null.</param>
/// <param name="KernelFrom">The oldest kernel that starts it ("6.1"), or null when any does.</param>
public sealed record Revision(
    string Id,
    string? Mark,
    string? Where,
    IReadOnlyList<string> Codes,
    string? Compatible,
    string? Changed,
    string? KernelFrom
);

/// <summary>Where the boot ROM finds its first loader on a card, in bytes from the start, and the bytes that must stand there in hexadecimal.</summary>
public sealed record FirstLoaderPlace(long At, string Bytes, string Name);

/// <summary>A strap or switch: where it is, and what each setting does.</summary>
public sealed record BootSwitch(string Where, string Setting, string Effect);

/// <summary>The serial console: Linux device name, rate in bits per second, signal level, where it is, and the labels of its three pins; what is not known is null.</summary>
public sealed record ConsolePort(
    string? Device,
    int? Speed,
    ConsoleLevel Level,
    string? Where,
    string? Ground,
    string? Transmit,
    string? Receive
)
{
    /// <summary>A console of which nothing is known.</summary>
    public static ConsolePort Nothing { get; } = new(null, null, ConsoleLevel.Unknown, null, null, null, null);

    /// <summary>Place and pins as one sentence ("Header: 6 ground, 8 transmit, 10 receive"); null when one of them is not known.</summary>
    public string? Pins =>
        Where is null || Ground is null || Transmit is null || Receive is null
            ? null
            : $"{Where}: {Ground} ground, {Transmit} transmit, {Receive} receive";

    /// <summary>Device and rate as the kernel takes them ("console=ttyS2,1500000"); null when the device is not known.</summary>
    public string? Argument => Device is null ? null : KernelCommandLine.ConsoleWord(Device, Speed);
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

/// <summary>The supply a board wants; what is not known is null.</summary>
/// <param name="Volts">Nominal volts.</param>
/// <param name="Amps">Amperes at the board in a busy boot, without anything plugged into it.</param>
/// <param name="IdleAmps">Amperes when it waits at the login.</param>
/// <param name="MinimumVolts">Below this at the board it resets or throttles.</param>
/// <param name="Negotiates">Whether the supply must agree by USB power delivery to give the full current.</param>
/// <param name="UsbAmps">What its USB sockets give together; 0 when it has none.</param>
/// <param name="Hint">What may tell the volts without saying them for sure, as a regulator's name does; null for nothing.</param>
public sealed record PowerInput(
    double? Volts,
    double? Amps,
    double? IdleAmps,
    double? MinimumVolts,
    string? Connector,
    bool? Negotiates,
    double? UsbAmps = null,
    string? Hint = null
)
{
    /// <summary>A supply of which nothing is known.</summary>
    public static PowerInput Nothing { get; } = new(null, null, null, null, null, null);
}

/// <summary>A video socket: before-power, after-power or any, for when the display is plugged in, or null when nobody knows; a note, or null.</summary>
public sealed record VideoOutput(string Name, string? Plug, string? Note);

/// <summary>What a light means; null where nothing tells.</summary>
/// <param name="Colour">Null when its name tells it, or when nobody knows.</param>
public sealed record Light(string Name, string? Pattern, string? Meaning, string? Colour = null);

/// <summary>A port: its kind (ethernet, usb-host, usb-device, usb-power, audio, camera, header, storage), name and a note, or null.</summary>
public sealed record BoardPort(string Kind, string Name, string? Note);

/// <summary>The radio: its bands, and where the antenna goes (null: on the board).</summary>
public sealed record Wireless(string? Bands, string? Antenna);

/// <summary>Something odd about a model, and where that is known from.</summary>
public sealed record Quirk(string Text, string Source);
