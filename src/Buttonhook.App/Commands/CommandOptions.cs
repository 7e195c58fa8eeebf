using System.CommandLine;

namespace Buttonhook.App.Commands;

/// <summary>Options that several commands have.</summary>
internal static class CommandOptions
{
    /// <summary>The folder of one's own data.</summary>
    public static Option<string?> Data { get; } = new("--data") { Description = "Folder for the database." };

    /// <summary>The answer as JSON.</summary>
    public static Option<bool> Json { get; } = new("--json") { Description = "Print the answer as JSON." };

    /// <summary>What is printed on a board.</summary>
    public static Option<string?> Mark { get; } = new("--mark") { Description = "What is printed on the board." };

    /// <summary>A log that tells of a board.</summary>
    public static Option<string?> Log { get; } = new("--log") { Description = "A console log, or text of a running system." };

    /// <summary>A device tree that tells of a board.</summary>
    public static Option<string?> Tree { get; } = new("--dtb") { Description = "A device tree blob." };
}
