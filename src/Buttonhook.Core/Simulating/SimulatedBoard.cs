using System.Text;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Simulating;

/// <summary>A piece of console output and when it leaves the board, in milliseconds since power.</summary>
public readonly record struct Piece(int Milliseconds, byte[] Bytes);

/// <summary>
/// A board that behaves: a state machine in board time that plays a boot, takes typed input and restarts. It has no clock of its own;
/// whoever drives it says what time it is.
/// </summary>
public sealed class SimulatedBoard
{
    private enum Mode
    {
        Booting,
        Menu,
        LoaderPrompt,
        Rescue,
        Emergency,
        Maintenance,
        Name,
        Password,
        NewPassword,
        Shell,
        Silent,
    }

    private readonly SimulationPlan whole;
    private readonly List<Piece> ready = [];
    private readonly StringBuilder typed = new();
    private Queue<Step> steps;
    private Mode mode = Mode.Booting;
    private SimulationPlan plan;
    private bool stoppable;
    private bool inMenu;
    private int highlighted = 1;
    private int clock;
    private int restarts;

    /// <summary>Whether its first boot is over.</summary>
    private bool grown;

    /// <summary>Restarts that nobody asked for, one behind the other.</summary>
    private int loops;
    private const int LongestLoop = 6;
    private int passwordsAsked;

    /// <summary>What was tried at a shell and holds until the board restarts: another root, and how often its shell was left since; a mount table.</summary>
    private bool otherRoot,
        otherTable;
    private int left;

    /// <summary>A board at the moment of power.</summary>
    public SimulatedBoard(SimulationPlan plan)
    {
        whole = plan;
        plan = this.plan = plan with { FaultId = SimulatedFaults.At(plan.FaultId, 0) };
        ListenSpeed = plan.ListenSpeed;
        steps = new(PrintedBoot.For(plan));
    }

    /// <summary>When the next output is due in milliseconds since power; null while it waits for input or is silent.</summary>
    public int? NextDue =>
        ready.Count > 0 ? ready[0].Milliseconds
        : mode == Mode.Booting && steps.TryPeek(out var step) ? clock + step.DelayMilliseconds
        : null;

    /// <summary>Everything that leaves the board up to this time, in order.</summary>
    public IReadOnlyList<Piece> Advance(int milliseconds)
    {
        while (mode == Mode.Booting && steps.TryPeek(out var step) && clock + step.DelayMilliseconds <= milliseconds)
            Play(steps.Dequeue());
        var due = ready.Where(p => p.Milliseconds <= milliseconds).ToList();
        ready.RemoveAll(p => p.Milliseconds <= milliseconds);
        return due;
    }

    private void Play(Step step)
    {
        clock += step.DelayMilliseconds;
        stoppable = step.Then == Then.Countdown;
        inMenu = step.Then == Then.Menu;
        Print(step.Text);
        switch (step.Then)
        {
            case Then.LoaderPrompt:
                mode = Mode.LoaderPrompt;
                break;
            case Then.RescueShell:
                mode = Mode.Rescue;
                break;
            case Then.Emergency:
                mode = Mode.Emergency;
                break;
            case Then.Login:
                mode = Mode.Name;
                grown = true;
                break;
            case Then.Silence:
                mode = Mode.Silent;
                break;
            case Then.Restart:
                Restart(keepFault: true);
                break;
        }
    }

    private void Restart(bool keepFault)
    {
        restarts++;
        // A loop by a weak supply ends after some rounds: even a real board is switched off at last.
        if (++loops > LongestLoop)
        {
            mode = Mode.Silent;
            return;
        }
        mode = Mode.Booting;
        highlighted = 1;
        (otherRoot, otherTable, left) = (false, false, 0);
        plan = whole with
        {
            Seed = whole.Seed + restarts,
            FaultId = keepFault ? SimulatedFaults.At(whole.FaultId, restarts) : null,
            FirstBoot = whole.FirstBoot && !grown,
        };
        steps = new(PrintedBoot.For(plan));
    }

    /// <summary>Goes on with what was tried, until the next restart.</summary>
    private void GoOn(bool rootMounted)
    {
        mode = Mode.Booting;
        plan = plan with { FaultId = null };
        steps = new(PrintedBoot.On(plan, rootMounted));
    }

    private void Print(string text)
    {
        if (text.Length == 0)
            return;
        var bytes = Encoding.UTF8.GetBytes(text);
        if (Speed != ListenSpeed)
            bytes = LineModel.Receive(bytes, Speed, ListenSpeed);
        if (bytes.Length == 0)
            return;
        ready.Add(new(clock, bytes));
        clock += (int)Math.Ceiling(bytes.Length * 10_000.0 / ListenSpeed);
    }

    /// <summary>Bits a second at which its console is listened to, from now on.</summary>
    public int ListenSpeed { get; set; }

    /// <summary>Bits a second at which it sends and hears.</summary>
    private int Speed => plan.FaultId == CauseIds.ConsoleSpeedMismatch ? OtherSpeed(plan.Console.Speed) : plan.Console.Speed;

    private static int OtherSpeed(int speed) => speed == 57600 ? 115200 : 57600;

    /// <summary>Takes typed bytes at a time; the board echoes and answers.</summary>
    public void Type(ReadOnlySpan<byte> bytes, int milliseconds)
    {
        Advance(milliseconds).ToList().ForEach(ready.Add);
        clock = Math.Max(clock, milliseconds);
        // What comes at another speed is no key to it.
        if (Speed == ListenSpeed)
            foreach (var b in bytes)
                Key((char)b);
        ready.Sort((a, b) => a.Milliseconds.CompareTo(b.Milliseconds));
    }

    private void Key(char key)
    {
        if (inMenu && mode == Mode.Booting)
            // The first key ends the countdown of a menu.
            (inMenu, mode) = (false, Mode.Menu);
        if (mode == Mode.Menu && IsPc)
        {
            Highlight(key);
            return;
        }
        if (mode == Mode.Booting)
        {
            if (stoppable)
            {
                stoppable = false;
                mode = Mode.LoaderPrompt;
                Print(IsPc ? "\r\ngrub> " : "\r\n=> ");
            }
            return;
        }
        if (mode == Mode.Silent)
            return;
        if (key is '\r' or '\n')
        {
            var line = typed.ToString();
            typed.Clear();
            Print("\r\n");
            Enter(line);
        }
        else if (key is '\b' or '\x7f')
        {
            if (typed.Length > 0)
            {
                typed.Length--;
                Print("\b \b");
            }
        }
        else if (key >= ' ' && typed.Length < LongestLine)
        {
            typed.Append(key);
            if (mode is not (Mode.Password or Mode.NewPassword or Mode.Emergency))
                Print(key.ToString());
        }
    }

    private bool IsPc => plan.Model.InstructionSet == InstructionSet.Amd64;

    /// <summary>GRUB's menu: the arrows end in A and B (ECMA-48), Enter starts what is highlighted, c opens the prompt.</summary>
    private void Highlight(char key)
    {
        var count = plan.Menu!.Count;
        if (key is 'A' or 'B')
        {
            highlighted = Math.Clamp(highlighted + (key == 'A' ? -1 : 1), 1, count);
            Print(string.Concat(plan.Menu.Select((e, n) => $" {(n + 1 == highlighted ? '*' : ' ')}{e.Image.Title}\r\n")) + "\r\n");
        }
        else if (key is '\r' or '\n')
            Take(highlighted);
        else if (key == 'c')
        {
            mode = Mode.LoaderPrompt;
            Print("\r\ngrub> ");
        }
    }

    private void Take(int entry)
    {
        plan = whole.Taking(entry)!;
        mode = Mode.Booting;
        steps = new(PrintedBoot.ForEntry(plan, entry));
    }

    private void Enter(string line)
    {
        loops = 0;
        var host = plan.Host;
        switch (mode)
        {
            case Mode.Menu when int.TryParse(line.Trim().Length == 0 ? "1" : line, out var entry) && whole.Taking(entry) is not null:
                Take(entry);
                break;
            case Mode.Menu:
                Print($"{line} not found\r\nEnter choice: ");
                break;
            case Mode.LoaderPrompt:
                Reply(
                    SimulatedShell.LoaderAnswer(line, plan),
                    IsPc ? "grub> " : "=> ",
                    keepFault: plan.FaultId != CauseIds.AutobootInterrupted
                );
                break;
            case Mode.Rescue
                when line.Contains("dev_id=/dev/", StringComparison.Ordinal)
                    && line.Contains("/scripts/panic/ORDER", StringComparison.Ordinal):
                otherRoot = true;
                Print("(initramfs) ");
                break;
            // The shell was opened because the root did not come: it is looked for again behind it (scripts/local of initramfs-tools).
            case Mode.Rescue when line.Trim() == "exit" && plan.FaultId == CauseIds.RootNotFound && !(otherRoot && ++left > 1):
                Print($"ALERT!  PARTUUID={plan.RootArgument} does not exist.  Dropping to a shell!\r\n(initramfs) ");
                break;
            case Mode.Rescue when line.Trim() == "exit" && plan.FaultId == CauseIds.RootNotFound:
                GoOn(rootMounted: false);
                break;
            case Mode.Rescue:
                Reply(SimulatedShell.RescueAnswer(line, plan), "(initramfs) ", keepFault: true);
                break;
            case Mode.Emergency when line.Length > 0:
                mode = Mode.Maintenance;
                Print($"root@{host}:~# ");
                break;
            case Mode.Maintenance when line.Contains("mount --bind /run/fstab /etc/fstab", StringComparison.Ordinal):
                otherTable = true;
                Print($"root@{host}:~# ");
                break;
            case Mode.Maintenance when line.Trim() == "systemctl default" && otherTable && plan.FaultId == CauseIds.FstabDeviceMissing:
                GoOn(rootMounted: true);
                break;
            case Mode.Maintenance when line.Trim() is "exit" or "reboot" or "systemctl reboot":
                Restart(keepFault: true);
                break;
            case Mode.Maintenance:
                Reply(SimulatedShell.Answer(line, plan, "root"), $"root@{host}:~# ", keepFault: true);
                break;
            case Mode.Emergency:
                Print("Login incorrect\r\n\r\nGive root password for maintenance\r\n(or press Control-D to continue): ");
                break;
            case Mode.Name when line.Trim().Length == 0:
                Print($"{host} login: ");
                break;
            case Mode.Name:
                user = line.Trim();
                mode = Mode.Password;
                Print("Password: ");
                break;
            case Mode.Password:
                mode = Mode.Shell;
                Print($"Last login: never\r\n{Session}@{host}:~$ ");
                break;
            case Mode.NewPassword when ++passwordsAsked < 2:
                Print("Retype new password: ");
                break;
            case Mode.NewPassword:
                mode = Mode.Shell;
                var made = after;
                after = "";
                Print($"passwd: password updated successfully\r\n{made}{Session}@{host}:~$ ");
                break;
            case Mode.Shell
                when line.Contains("passwd", StringComparison.Ordinal)
                    && !line.Contains("passwd -", StringComparison.Ordinal)
                    && !line.Contains("/etc/passwd", StringComparison.Ordinal):
                mode = Mode.NewPassword;
                passwordsAsked = 0;
                after = SimulatedShell.UserMade(line);
                Print("New password: ");
                break;
            case Mode.Shell when line.Trim() is "sudo poweroff" or "poweroff":
                mode = Mode.Silent;
                Print("[  OK  ] Reached target poweroff.target - System Power Off.\r\n[  913.004411] reboot: Power down\r\n");
                break;
            case Mode.Shell when line.Trim() == "exit":
                mode = Mode.Name;
                Print($"\r\n{host} login: ");
                break;
            case Mode.Shell:
                Reply(SimulatedShell.Answer(line, plan, Session), $"{Session}@{host}:~$ ", keepFault: true);
                break;
        }
    }

    /// <summary>Whose session it is, and what is printed behind a password that was set.</summary>
    private string user = "",
        after = "";

    private string Session => user.Length > 0 ? user : plan.Image!.DefaultUser;

    /// <summary>What a terminal holds of a line (N_TTY_BUF_SIZE of the kernel).</summary>
    private const int LongestLine = 4095;

    private void Reply(string? answer, string prompt, bool keepFault)
    {
        if (answer is null)
            Restart(keepFault);
        else
            Print(answer + prompt);
    }
}
