using System.Text.RegularExpressions;

namespace Buttonhook.Core.Consoles;

/// <summary>What kind of program waits at a console.</summary>
public enum ListenerKind
{
    /// <summary>Nobody: there is no unfinished line.</summary>
    Nobody,

    /// <summary>Something that is not known.</summary>
    Unknown,

    /// <summary>The shell of a loader.</summary>
    LoaderShell,

    /// <summary>A loader's menu.</summary>
    LoaderMenu,

    /// <summary>The command line behind a loader's menu.</summary>
    LoaderCommandLine,

    /// <summary>The rescue prompt of a loader whose modules are missing.</summary>
    LoaderRescue,

    /// <summary>The shell of a firmware.</summary>
    FirmwareShell,

    /// <summary>The shell of an initial file system.</summary>
    InitialShell,

    /// <summary>A rescue or emergency shell of the system.</summary>
    RescueShell,

    /// <summary>The question before a rescue shell: root's password, or Enter.</summary>
    Maintenance,

    /// <summary>A rescue shell that stays shut, since the root account is locked.</summary>
    LockedMaintenance,

    /// <summary>A login.</summary>
    Login,

    /// <summary>A question for a secret.</summary>
    Secret,

    /// <summary>A user's shell.</summary>
    UserShell,

    /// <summary>An installer, or another program that draws boxes.</summary>
    Installer,

    /// <summary>A pager.</summary>
    Pager,

    /// <summary>An editor.</summary>
    Editor,
}

/// <summary>Who waits at a console, and the line behind which it waits.</summary>
public sealed partial record Listener(ListenerKind Kind, string Prompt)
{
    private const int LongestPrompt = 120;

    /// <summary>Lines back in which an editor or an installer shows itself, and in which a rescue shell was announced.</summary>
    private const int LinesBack = 40,
        RescueBack = 120;

    /// <summary>Nobody waits.</summary>
    public static Listener Nobody { get; } = new(ListenerKind.Nobody, "");

    /// <summary>Whether it takes commands.</summary>
    public bool TakesCommands => IsShell(Kind);

    /// <summary>Whether a kind of listener takes commands.</summary>
    public static bool IsShell(ListenerKind kind) =>
        kind
            is ListenerKind.LoaderShell
                or ListenerKind.LoaderCommandLine
                or ListenerKind.LoaderRescue
                or ListenerKind.FirmwareShell
                or ListenerKind.InitialShell
                or ListenerKind.RescueShell
                or ListenerKind.UserShell;

    /// <summary>Whether it understands the commands of a POSIX shell.</summary>
    public bool IsPosix => Kind is ListenerKind.InitialShell or ListenerKind.RescueShell or ListenerKind.UserShell;

    /// <summary>What it is called in a sentence, with its article.</summary>
    public string Words =>
        Kind switch
        {
            ListenerKind.LoaderShell => "the loader's shell",
            ListenerKind.LoaderMenu => "the loader's menu",
            ListenerKind.LoaderCommandLine => "the loader's command line",
            ListenerKind.LoaderRescue => "the loader's rescue prompt",
            ListenerKind.FirmwareShell => "the firmware's shell",
            ListenerKind.InitialShell => "the shell of the initial file system",
            ListenerKind.RescueShell => "a rescue shell",
            ListenerKind.Maintenance => "the question before the rescue shell",
            ListenerKind.LockedMaintenance => "a rescue shell that the locked root account keeps shut",
            ListenerKind.Login => "a login",
            ListenerKind.Secret => "a question for a password or passphrase",
            ListenerKind.UserShell => "a user's shell",
            ListenerKind.Installer => "an installer or a dialog",
            ListenerKind.Pager => "a pager",
            ListenerKind.Editor => "an editor",
            ListenerKind.Nobody => "nobody",
            _ => "something that is not known",
        };

    /// <summary>Who waits behind an unfinished line, told from the line, from what came before and from how far the boot came, not from a list of prompts alone.</summary>
    /// <param name="before">The whole lines before it, oldest first, escape sequences taken out.</param>
    /// <param name="line">The unfinished line.</param>
    /// <param name="reached">The last stage of this boot; null when none was seen.</param>
    /// <param name="again">Whether the same line came again behind an Enter or a command.</param>
    public static Listener Of(IReadOnlyList<string> before, string line, Stage? reached, bool again = false)
    {
        var prompt = line.Trim();
        if (prompt.Length == 0)
            return Nobody;
        return new(KindOf(before, prompt, reached, again), line);
    }

    private static ListenerKind KindOf(IReadOnlyList<string> before, string prompt, Stage? reached, bool again)
    {
        var near = before.TakeLast(LinesBack).ToList();
        if (Locked().IsMatch(prompt) || EnterOnly().IsMatch(prompt) && near.Exists(l => Locked().IsMatch(l)))
            return ListenerKind.LockedMaintenance;
        if (MaintenanceQuestion().IsMatch(prompt))
            return ListenerKind.Maintenance;
        if (Prompts.AsksForSecret(prompt))
            return ListenerKind.Secret;
        if (Prompts.AsksForLogin(prompt))
            return ListenerKind.Login;
        if (PagerLine().IsMatch(prompt))
            return ListenerKind.Pager;
        if (RescuePrompt().IsMatch(prompt))
            return ListenerKind.LoaderRescue;
        if (CommandLinePrompt().IsMatch(prompt))
            return ListenerKind.LoaderCommandLine;
        if (FirmwarePrompt().IsMatch(prompt))
            return ListenerKind.FirmwareShell;
        if (InitialPrompt().IsMatch(prompt))
            return ListenerKind.InitialShell;
        if (MenuLine().IsMatch(prompt) || near.Count > 0 && near.TakeLast(20).Any(l => MenuLine().IsMatch(l)) && !Asks().IsMatch(prompt))
            return ListenerKind.LoaderMenu;
        if (EditorLine().IsMatch(prompt) || near.TakeLast(25).Any(l => EditorLine().IsMatch(l)) && !Shell().IsMatch(prompt))
            return ListenerKind.Editor;
        if (Boxes().IsMatch(prompt) || near.TakeLast(25).Any(l => Boxes().IsMatch(l)) && !Shell().IsMatch(prompt))
            return ListenerKind.Installer;
        if (prompt.Length > LongestPrompt || Progress().IsMatch(prompt))
            return ListenerKind.Unknown;
        if (Shell().IsMatch(prompt))
            return ShellOf(before, prompt, reached);
        if (reached is null or <= Stage.SecondLoader && (LoaderForm().IsMatch(prompt) || again))
            return ListenerKind.LoaderShell;
        if (again && Asks().IsMatch(prompt))
            return ShellOf(before, prompt, reached);
        return ListenerKind.Unknown;
    }

    /// <summary>A shell by how it was come to: out of a login, out of an emergency, or before any root.</summary>
    private static ListenerKind ShellOf(IReadOnlyList<string> before, string prompt, Stage? reached)
    {
        if (reached is null or <= Stage.SecondLoader && !UserForm().IsMatch(prompt))
            return ListenerKind.LoaderShell;
        foreach (var line in before.Reverse().Take(RescueBack))
        {
            if (LoggedIn().IsMatch(line))
                return ListenerKind.UserShell;
            if (Emergency().IsMatch(line))
                return ListenerKind.RescueShell;
            if (NoJobControl().IsMatch(line) && reached is null or <= Stage.Root)
                return ListenerKind.InitialShell;
        }
        return reached is >= Stage.Services || UserForm().IsMatch(prompt) && prompt.Contains('@')
            ? ListenerKind.UserShell
            : ListenerKind.InitialShell;
    }

    // systemd's sulogin and that of util-linux and busybox.
    [GeneratedRegex(
        @"(?i)give root password for (?:maintenance|login)|press enter for (?:maintenance|system maintenance)|press control-d to continue"
    )]
    private static partial Regex MaintenanceQuestion();

    [GeneratedRegex(@"(?i)root account is locked")]
    private static partial Regex Locked();

    [GeneratedRegex(@"(?i)press enter to continue")]
    private static partial Regex EnterOnly();

    [GeneratedRegex(
        @"^(?:-- ?more ?--.*|\(END\)|lines \d+-\d+.*|:|.*\(press h for help.*\)|(?:press|hit) any key to continue\S*)$",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex PagerLine();

    [GeneratedRegex(@"^grub rescue>\s*$")]
    private static partial Regex RescuePrompt();

    [GeneratedRegex(@"^grub>\s*$")]
    private static partial Regex CommandLinePrompt();

    [GeneratedRegex(@"^(?:Shell>|FS\d+:\\?[^>]*>|[A-Z]+\d*:\\[^>]*>)\s*$", RegexOptions.IgnoreCase)]
    private static partial Regex FirmwarePrompt();

    [GeneratedRegex(@"^(?:\(initramfs\)|(?:dracut|switch_root|rescue|initrd|initramfs)[\w-]*:[^#$]*[#$]|sh-\d[\d.]*#)\s*$")]
    private static partial Regex InitialPrompt();

    [GeneratedRegex(@"GNU GRUB|(?i)use the .{0,24}(?:keys|arrows?) to (?:select|change)|press UP/DOWN to move|boot menu \*\*\*")]
    private static partial Regex MenuLine();

    [GeneratedRegex(@"GNU nano|^-- INSERT --|\^G (?:Get )?Help|^~$|""[^""]+"" \d+L, \d+[CB]|\bInsert mode\b")]
    private static partial Regex EditorLine();

    [GeneratedRegex("[\u250C\u2510\u2514\u2518\u2502]|<Ok>|<Cancel>|<Yes>|<Go Back>|\\[!!?\\]|lqqq")]
    private static partial Regex Boxes();

    [GeneratedRegex(@"\d ?%$|^\[\s*\d+\.\d+\]|\.\.\.$|\b(?:ok|done)\s*$", RegexOptions.IgnoreCase)]
    private static partial Regex Progress();

    [GeneratedRegex(@"(?:^|[\]\)\w~/ -])[$#]$")]
    private static partial Regex Shell();

    [GeneratedRegex(@"^(?:=>|[\w(\[][\w .:@()\[\]/~+-]{0,40}(?:=>|->|[>#$%]))$")]
    private static partial Regex LoaderForm();

    [GeneratedRegex(@"[>#$%:?\])]$")]
    private static partial Regex Asks();

    [GeneratedRegex(@"^(?:\[?[\w.-]+@[\w.-]+[: ][^#$]*|[~/][\w/.-]*\s?|bash-\d[\d.]*|-?(?:ba|a|da)?sh-?[\d.]*)[#$]$|^[#$]$")]
    private static partial Regex UserForm();

    [GeneratedRegex(
        @"(?i)^last login:|\blogin: \S+$|login\[\d+\]: root login|session opened for user|(?:login|logged) (?:succeeded|in) .*console"
    )]
    private static partial Regex LoggedIn();

    [GeneratedRegex(
        @"(?i)you are in (?:emergency|rescue|maintenance) mode|give root password for|press enter for maintenance|reached target (?:emergency|rescue)|sulogin|single-user"
    )]
    private static partial Regex Emergency();

    [GeneratedRegex(@"(?i)can't access tty|job control turned off|dropping to a shell|entering emergency mode|BusyBox v\d")]
    private static partial Regex NoJobControl();
}
