namespace Buttonhook.Core.Keeping;

/// <summary>What the settings are called, and in which order they stand.</summary>
public static class SettingNames
{
    /// <summary>What settings are about, by the first part of their ids, in the order of the work.</summary>
    public static IReadOnlyList<(string About, string Title)> Groups { get; } =
    [
        ("board", "Board"),
        ("image", "Image"),
        ("card", "Card"),
        ("console", "Console"),
        ("supply", "Supply"),
        ("before", "Before power"),
        ("first", "Before the first boot"),
        ("system", "System"),
        ("time", "Times since power"),
        ("network", "Network"),
        ("met", "What was met"),
        ("more", "More"),
    ];

    private static readonly Dictionary<string, string> Names = new()
    {
        ["board.model"] = "Board",
        ["board.revision"] = "Revision",
        ["board.memory"] = "Memory",
        ["board.processor"] = "Processor",
        ["board.told-by"] = "Identified",
        ["image.name"] = "Image",
        ["image.file"] = "File",
        ["image.bytes"] = "Size",
        ["image.sha256"] = "SHA-256",
        ["image.found"] = "Found inside",
        ["card.label"] = "Card",
        ["card.size"] = "Size of the card",
        ["card.slot"] = "Written in",
        ["card.layout"] = "Laid out",
        ["card.written"] = "Written",
        ["card.speed"] = "Speed of the card",
        ["console.port"] = "Console",
        ["console.adapter"] = "Adapter",
        ["console.wires"] = "Wires",
        ["supply.name"] = "Supply",
        ["supply.cable"] = "Supply cable",
        ["supply.margin"] = "Margin",
        ["supply.parts"] = "Fed by the board",
        ["before.switch"] = "Boot switch",
        ["before.order"] = "Order of plugging",
        ["first.host"] = "Host name, as set",
        ["first.user"] = "User, as set",
        ["first.address"] = "Address, as set",
        ["first.time-zone"] = "Time zone, as set",
        ["first.locale"] = "Locale, as set",
        ["first.keyboard"] = "Keyboard, as set",
        ["first.remote-login"] = "Remote login, as set",
        ["first.key"] = "Public key, as set",
        ["first.recipe"] = "Recipe",
        ["first.file"] = "File written",
        ["system.command-line"] = "Command line",
        ["system.kernel"] = "Kernel",
        ["system.name"] = "System",
        ["system.root"] = "Root asked for",
        ["system.mounted"] = "Root mounted from",
        ["system.host"] = "Host name",
        ["system.user"] = "User logged in",
        ["system.time-zone"] = "Time zone",
        ["system.locale"] = "Locale",
        ["system.keyboard"] = "Keyboard",
        ["system.root-size"] = "Size of the root",
        ["system.memory"] = "Memory that the kernel counts",
        ["system.heat"] = "Hottest reading",
        ["system.model"] = "Board, as the system tells it",
        ["system.media"] = "Media",
        ["system.memory-total"] = "Memory that the system has",
        ["system.failed"] = "Failed services",
        ["system.clock"] = "Clock (UTC)",
        ["network.read"] = "Addresses",
        ["time.starts"] = "Starts",
        ["network.interface"] = "Interface",
        ["network.address"] = "Address",
        ["met.fixed"] = "Met and mended",
        ["met.changed"] = "Changed",
        ["more.photo"] = "Photo",
        ["more.quirk"] = "Quirk",
    };

    /// <summary>The name of a setting; of one that nobody named, the last part of its id.</summary>
    public static string Of(string id)
    {
        var kind = id.Split(':')[0];
        if (Names.TryGetValue(kind, out var name))
            return name;
        var last = kind[(kind.IndexOf('.', StringComparison.Ordinal) + 1)..].Replace('-', ' ');
        return last.Length == 0 ? id : Words.Capital(last);
    }

    /// <summary>Whether an id may be one: two parts of small letters, digits and dashes, and a number where there are several.</summary>
    public static bool IsId(string id)
    {
        var parts = id.Split(':');
        return parts.Length <= 2
            && (parts.Length == 1 || parts[1].Length is > 0 and < 5 && parts[1].All(char.IsAsciiDigit))
            && parts[0].Split('.') is [var about, var name]
            && Plain(about)
            && Plain(name);
        static bool Plain(string part) =>
            part.Length is > 0 and <= 40 && part.All(c => char.IsAsciiLetterLower(c) || char.IsAsciiDigit(c) || c == '-');
    }
}
