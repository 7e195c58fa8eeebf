using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Images.Judging.Chain;

/// <summary>Kernel and system speak on the board's console.</summary>
internal sealed class ConsoleSpeaks : ILink
{
    public string Name => "console";

    /// <summary>The consoles on the command line; the kernel takes a carriage return for a space, only programs that read the line themselves trip over it.</summary>
    private static List<string> Consoles(DryRun run) => [.. run.Arguments.All("console").Select(c => c.TrimEnd('\r'))];

    /// <summary>The board's own console on the command line, or null.</summary>
    public static string? Ours(DryRun run) => Consoles(run).FirstOrDefault(c => c.Split(',')[0] == run.Board.ConsoleDevice);

    /// <summary>Whether the device tree names the console where the command line names none.</summary>
    public static bool ByTree(DryRun run)
    {
        if (Consoles(run).Count > 0 || run.Board.Architecture == InstructionSet.Amd64)
            return false;
        if (run.Handover!.Tree is not { } tree)
            return run.Handover.OwnTree;
        try
        {
            return DeviceTree.Read(tree.Bytes).HasConsole;
        }
        catch (UnreadableException)
        {
            return false;
        }
    }

    public void Check(DryRun run)
    {
        var (h, board, consoles) = (run.Handover!, run.Board, Consoles(run));
        if (board.ConsoleDevice is null)
        {
            run.CannotTell(
                Stage.Kernel,
                $"Cannot tell without the board's console device whether anything is seen of this boot: {(consoles.Count > 0 ? $"the command line's is {string.Join(" and ", consoles)}" : "the command line names none")}.",
                h.Where,
                decides: false
            );
            return;
        }
        var ours = Ours(run);
        if (ours is null && !ByTree(run))
            run.Warn(
                Stage.Kernel,
                CauseIds.ConsoleArgMissing,
                consoles.Count == 0
                        ? "No console is on the command line and the device tree names none: kernel and start-up messages do not reach the serial port."
                    : consoles.All(c => c.Length == 0)
                        ? "The command line has console= with nothing behind it: start-up messages go nowhere."
                    : $"The command line's console is {string.Join(" and ", consoles)}; the board's is {board.ConsoleDevice}.",
                $"Add {board.ConsoleArgument} to the command line.",
                h.Where,
                FileEdit.At(h.Where, null, board.ConsoleArgument!)
            );
        else if (
            ours is not null
            && ours.Split(',') is [_, var mode, ..]
            && Digits(mode) is { } speed
            && board.ConsoleSpeed is { } wanted
            && speed != wanted
        )
            run.Warn(
                Stage.Kernel,
                CauseIds.ConsoleSpeedMismatch,
                $"The command line sets {speed} bits a second, the board's console runs at {wanted}.",
                $"Set {board.ConsoleArgument}.",
                h.Where,
                FileEdit.At(h.Where, $"console={ours}", board.ConsoleArgument!)
            );
        else
            run.Pass(
                Stage.Kernel,
                ours is null ? "The device tree names the console." : $"The command line names the board's console {board.ConsoleDevice}.",
                h.Where
            );
    }

    private static int? Digits(string mode) =>
        int.TryParse(new string([.. mode.TakeWhile(char.IsAsciiDigit)]), out var speed) ? speed : null;
}

/// <summary>A login waits on the board's console.</summary>
internal sealed class LoginWaits : ILink
{
    public string Name => "login";

    public void Check(DryRun run)
    {
        var (h, board, volume, tree) = (run.Handover!, run.Board, run.Root!, run.Tree!);
        if (board.ConsoleDevice is null)
            return;
        if (
            run.Arguments.Last("init")?.TrimEnd('\r').Split('/')[^1] is { } shell
            && shell is "sh" or "ash" or "bash" or "dash" or "busybox"
        )
        {
            run.Warn(
                Stage.Login,
                CauseIds.GettyMissing,
                $"init={shell} starts a shell instead of the system: no service runs and no login appears.",
                "Take init= off the command line.",
                h.Where,
                FileEdit.At(h.Where, $"init={run.Arguments.Last("init")}", "")
            );
            return;
        }
        var logins = LoginPorts.Of(tree);
        var ours = ConsoleSpeaks.Ours(run) is not null;
        var consoleIsOurs = ours || ConsoleSpeaks.ByTree(run);
        var by =
            logins.ContainsKey(board.ConsoleDevice) ? board.ConsoleDevice
            : consoleIsOurs && logins.ContainsKey("console") ? "console"
            : ours && logins.ContainsKey("systemd") ? "systemd"
            : null;
        if (by is not null)
            run.Pass(
                Stage.Login,
                by == "systemd"
                    ? $"A login waits on {board.ConsoleDevice}: systemd starts one on the kernel's console."
                    : $"A login waits on {board.ConsoleDevice}.",
                logins[by] is { } file ? volume.Name(file) : null
            );
        else if (!(logins.ContainsKey("console") && !consoleIsOurs))
            run.Warn(
                Stage.Login,
                CauseIds.GettyMissing,
                logins.Count == 0
                    ? "No login is set up on any port."
                    : $"Logins are on {string.Join(", ", logins.Keys)}, none on {board.ConsoleDevice}.",
                $"Add a login on {board.ConsoleDevice}.",
                volume.Name("/etc/inittab"),
                tree.Find("/etc/inittab") is null || volume.Mapped is not null
                    ? null
                    : new FileEdit(
                        volume.Partition.Number,
                        "/etc/inittab",
                        0,
                        null,
                        $"{board.ConsoleDevice}::respawn:/sbin/getty -L {board.ConsoleDevice} {board.ConsoleSpeed ?? 0} vt100"
                    )
            );
    }
}
