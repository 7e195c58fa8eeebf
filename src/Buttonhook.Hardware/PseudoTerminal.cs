using System.Runtime.InteropServices;

namespace Buttonhook.Hardware;

/// <summary>A pseudo-terminal of our own: what is written here is read at <see cref="Path"/>, a real character device, and the reverse.</summary>
public sealed unsafe class PseudoTerminal : IDisposable
{
    private readonly int master;
    private readonly int kept;
    private readonly int wake = Native.EventDescriptor(0, Native.CloseOnExec);
    private readonly Thread thread;
    private readonly Lock held = new();

    /// <summary>Closed descriptors are given to other files of this program at once: nothing may touch them any more.</summary>
    private bool gone;

    /// <summary>Makes one in raw mode; bytes typed at the other end come to <paramref name="typed"/>. Throws <see cref="IOException"/> when the system has none left.</summary>
    public PseudoTerminal(Action<byte[]> typed)
    {
        master = Native.OpenPseudoTerminal(Native.ReadWrite | Native.NoControllingTerminal | Native.NonBlocking | Native.CloseOnExec);
        if (master < 0 || Native.GrantPseudoTerminal(master) != 0 || Native.UnlockPseudoTerminal(master) != 0)
            throw new IOException($"No pseudo-terminal can be made: error {Marshal.GetLastPInvokeError()}.");
        var name = stackalloc byte[128];
        if (Native.PseudoTerminalName(master, name, 128) != 0)
            throw new IOException("The pseudo-terminal has no name.");
        Path = Marshal.PtrToStringUTF8((nint)name)!;
        var settings = new Native.Termios2();
        if (Native.Control(master, Native.GetTermios2, &settings) < 0)
            throw new IOException("The pseudo-terminal has no settings.");
        settings.InputFlags = settings.OutputFlags = settings.LocalFlags = 0;
        _ = Native.Control(master, Native.SetTermios2, &settings);
        // While nobody has the other end open, reads here would fail; so one is kept open.
        kept = Native.Open(Path, Native.ReadWrite | Native.NoControllingTerminal | Native.CloseOnExec);
        thread = new Thread(() => Loop(typed)) { IsBackground = true, Name = "pseudo-terminal" };
        thread.Start();
    }

    /// <summary>The device path of the other end ("/dev/pts/3").</summary>
    public string Path { get; }

    /// <summary>Bits a second that the other end is set to; 0 when it cannot be told.</summary>
    public int Speed
    {
        get
        {
            lock (held)
            {
                var settings = new Native.Termios2();
                // What is asked of the master is told of the other end (pty(7), tty_mode_ioctl of the kernel).
                return !gone && Native.Control(master, Native.GetTermios2, &settings) >= 0 ? (int)settings.OutputSpeed : 0;
            }
        }
    }

    /// <summary>Bytes that were printed and that nobody has read at the other end yet; 0 once it is taken away. (ioctl_tty(2), FIONREAD)</summary>
    public int Unread
    {
        get
        {
            lock (held)
            {
                var count = 0;
                return !gone && Native.Control(kept, Native.WaitingInput, &count) >= 0 ? count : 0;
            }
        }
    }

    private void Loop(Action<byte[]> typed)
    {
        var buffer = new byte[4096];
        var entries = stackalloc Native.PollEntry[2];
        while (true)
        {
            entries[0] = new() { Descriptor = master, Events = Native.PollIn };
            entries[1] = new() { Descriptor = wake, Events = Native.PollIn };
            if (Native.Poll(entries, 2, -1) < 0)
            {
                if (Marshal.GetLastPInvokeError() == Native.Interrupted)
                    continue;
                return;
            }
            if (entries[1].Returned != 0)
                return;
            nint count;
            fixed (byte* start = buffer)
                count = Native.Read(master, start, (nuint)buffer.Length);
            if (count <= 0)
                return;
            typed(buffer[..(int)count]);
        }
    }

    /// <summary>
    /// Prints bytes at the other end and gives how many it took. As on a real line, what nobody reads is lost once the buffer of the
    /// system (about 4 kB) is full for a fifth of a second: whoever wants to wait longer prints the rest again.
    /// </summary>
    public int Print(ReadOnlySpan<byte> bytes)
    {
        var taken = 0;
        while (taken < bytes.Length)
            lock (held)
            {
                if (gone)
                    return taken;
                var entry = new Native.PollEntry { Descriptor = master, Events = Native.PollOut };
                if (Native.Poll(&entry, 1, 200) <= 0)
                    return taken;
                nint count;
                fixed (byte* start = bytes[taken..])
                    count = Native.Write(master, start, (nuint)(bytes.Length - taken));
                if (count >= 0)
                    taken += (int)count;
                else if (Marshal.GetLastPInvokeError() is not (Native.Interrupted or Native.TryAgain))
                    return taken;
            }
        return taken;
    }

    /// <summary>Forgets what was printed and not read yet.</summary>
    public void Clear()
    {
        lock (held)
            if (!gone)
                _ = Native.Control(kept, Native.Flush, null);
    }

    /// <summary>Takes it away: whoever has the other end open sees a hang-up.</summary>
    public void Dispose()
    {
        lock (held)
        {
            if (gone)
                return;
            gone = true;
        }
        ulong one = 1;
        _ = Native.Write(wake, (byte*)&one, 8);
        if (Thread.CurrentThread != thread)
            thread.Join();
        _ = Native.Close(kept);
        _ = Native.Close(master);
        _ = Native.Close(wake);
    }
}
