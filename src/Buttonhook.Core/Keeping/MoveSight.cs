using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Keeping;

/// <summary>What a move is planned from.</summary>
/// <param name="Look">What the running system showed of its disks; null before it was asked.</param>
/// <param name="Device">The disk that was chosen and whose size was confirmed; null before.</param>
/// <param name="Seed">What the new identifiers are made from: the same move has the same ones.</param>
/// <param name="Book">The commands.</param>
/// <param name="Log">The console, by which steps are ticked; null without one.</param>
/// <param name="Target">The medium that the disk was chosen for; null when none was.</param>
public sealed partial record MoveSight(
    DiskLook? Look,
    string? Device,
    string Seed,
    CommandBook Book,
    ConsoleLog? Log = null,
    MoveTarget? Target = null
)
{
    /// <summary>The same, for the plan of one medium: what was chosen for another one is not chosen for it.</summary>
    public MoveSight For(MoveTarget target) => Target is { } other && other != target ? this with { Device = null } : this;

    /// <summary>Whether the session is root's own, by its newest prompt: there may be no sudo then.</summary>
    public bool IsRoots { get; } = RootsOwn(Log);

    private static bool RootsOwn(ConsoleLog? log)
    {
        for (var line = log?.LineCount ?? 0; line > Math.Max(0, (log?.LineCount ?? 0) - PromptWithin); line--)
            if (Prompt().Match(log!.Text(line)) is { Success: true } prompt)
                return prompt.Groups[1].Value == "#";
        return false;
    }

    private const int PromptWithin = 400;

    [GeneratedRegex(@"^(?:\S*[@:~\w/\]-]+ ?)?([$#])(?: |$)")]
    private static partial Regex Prompt();
}
