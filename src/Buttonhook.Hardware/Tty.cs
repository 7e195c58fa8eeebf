using System.Diagnostics;
using System.Runtime.InteropServices;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Hardware;

/// <summary>A serial console, read by one thread of its own that sleeps in poll(2): no idle load, sees a hang-up at once, ends at once.</summary>
public sealed unsafe class Tty : IConsoleLink
{
    /// <summary>EBUSY of errno(3).</summary>
    private const int Busy = 16;
    private readonly string path;
    private readonly int descriptor;
    private readonly int wake;
    private readonly Thread thread;
    private readonly Lock writing = new();
    private bool closed;

    private Tty(string path, int descriptor, Action<byte[]> received, Action<string> ended)
    {
        this.path = path;
        this.descriptor = descriptor;
        wake = Native.EventDescriptor(0, Native.CloseOnExec);
        thread = new Thread(() => ended(Loop(received))) { IsBackground = true, Name = "console" };
        thread.Start();
    }

    /// <summary>Opens a console raw, with any line, for this program alone; bytes come to <paramref name="received"/>, and once the reason of the end to <paramref name="ended"/>.</summary>
    public static Answer<Tty> Open(string path, LineSettings line, Action<byte[]> received, Action<string> ended)
    {
        if (Terminals.Against(path) is { } against)
            return against;
        var descriptor = Native.Open(path, Native.ReadWrite | Native.NoControllingTerminal | Native.NonBlocking | Native.CloseOnExec);
        if (descriptor < 0)
            return ConsoleProblems.Of(Marshal.GetLastPInvokeError(), path, GroupOf(path), PortHolders.Of(path));
        // Two programs that read one port take bytes from each other. Of a pseudo-terminal the one who made it has both ends.
        var settings = new Native.Termios2();
        if (Native.Control(descriptor, Native.GetTermios2, &settings) >= 0 && !Terminals.IsPseudo(path) && PortHolders.Of(path) is { } busy)
        {
            _ = Native.Close(descriptor);
            return ConsoleProblems.Of(Busy, path, null, busy);
        }
        if (Apply(descriptor, line) && Native.Control(descriptor, Native.Exclusive, null) >= 0)
            return new Tty(path, descriptor, received, ended);
        var error = Marshal.GetLastPInvokeError();
        _ = Native.Control(descriptor, Native.NotExclusive, null);
        _ = Native.Close(descriptor);
        return ConsoleProblems.Of(error, path, null);
    }

    /// <summary>Sets the line at once (TCSETS2), which throws nothing away of what arrived; hanging up does not lower the wires, which would reset some boards.</summary>
    private static bool Apply(int descriptor, LineSettings line)
    {
        var settings = new Native.Termios2();
        if (Native.Control(descriptor, Native.GetTermios2, &settings) < 0)
            return false;
        settings.OutputFlags = settings.LocalFlags = 0;
        settings.InputFlags = line.Flow == FlowControl.Software ? Native.SendByteFlow | Native.ReceiveByteFlow : 0;
        settings.ControlFlags =
            Native.Receive
            | Native.IgnoreModemLines
            | Native.AnySpeed
            | (line.DataBits == 7 ? Native.SevenBits : Native.EightBits)
            | (line.StopBits == 2 ? Native.TwoStopBits : 0)
            | line.Parity switch
            {
                Parity.Even => Native.WithParity,
                Parity.Odd => Native.WithParity | Native.OddParity,
                _ => 0,
            }
            | (line.Flow == FlowControl.Hardware ? Native.WireFlow : 0);
        settings.InputSpeed = settings.OutputSpeed = (uint)line.Speed;
        settings.Characters[6] = 1; // VMIN
        settings.Characters[5] = 0; // VTIME
        settings.Characters[8] = 0x11; // VSTART
        settings.Characters[9] = 0x13; // VSTOP
        return Native.Control(descriptor, Native.SetTermios2, &settings) >= 0;
    }

    /// <inheritdoc/>
    public Problem? Set(LineSettings line)
    {
        lock (writing)
            return closed ? Gone()
                : Apply(descriptor, line) ? null
                : Refused($"The line should be set to {line}.");
    }

    /// <inheritdoc/>
    public Problem? SetWires(bool? dtr, bool? rts)
    {
        bool Move(bool? up, int wire)
        {
            var bits = wire;
            return up is not { } raise || Native.Control(descriptor, raise ? Native.RaiseWires : Native.LowerWires, &bits) >= 0;
        }
        lock (writing)
            return closed ? Gone()
                : Move(dtr, Native.DataTerminalReady) && Move(rts, Native.RequestToSend) ? null
                : Refused("DTR and RTS should be set.");
    }

    /// <inheritdoc/>
    public Problem? Break()
    {
        lock (writing)
            return closed ? Gone()
                : Native.Control(descriptor, Native.SendBreak, null) >= 0 ? null
                : Refused("A break should be sent.");
    }

    private Problem Gone() => new($"{path} should be open.", "It was closed.", "Open the console again.");

    private Problem Refused(string expected) =>
        Marshal.GetLastPInvokeError() is 25 or 22
            ? new(
                expected,
                $"{path} has no such wire or setting.",
                "A pseudo-terminal and some adapters lack it; the console works without."
            )
            : new(expected, $"{path} does not take it.", "Check whether the adapter is still plugged in.");

    /// <summary>The group that may open a device, or null; asks stat(1), since .NET does not tell groups.</summary>
    private static string? GroupOf(string path)
    {
        try
        {
            using var stat = Process.Start(
                new ProcessStartInfo("stat", ["-c", "%G", path]) { RedirectStandardOutput = true, RedirectStandardError = true }
            );
            var name = stat?.StandardOutput.ReadToEnd().Trim();
            return string.IsNullOrEmpty(name) ? null : name;
        }
        catch (System.ComponentModel.Win32Exception)
        {
            return null;
        }
    }

    private string Loop(Action<byte[]> received)
    {
        var buffer = new byte[65536];
        var entries = stackalloc Native.PollEntry[2];
        while (true)
        {
            entries[0] = new() { Descriptor = descriptor, Events = Native.PollIn };
            entries[1] = new() { Descriptor = wake, Events = Native.PollIn };
            if (Native.Poll(entries, 2, -1) < 0)
            {
                if (Marshal.GetLastPInvokeError() == Native.Interrupted)
                    continue;
                return "The port could not be watched any more.";
            }
            if ((entries[0].Returned & Native.PollIn) != 0)
            {
                nint count;
                fixed (byte* start = buffer)
                    count = Native.Read(descriptor, start, (nuint)buffer.Length);
                if (count > 0)
                {
                    received(buffer[..(int)count]);
                    continue;
                }
                if (count < 0 && Marshal.GetLastPInvokeError() is Native.Interrupted or Native.TryAgain)
                    continue;
                return "The port went away; everything that had arrived is kept.";
            }
            if ((entries[0].Returned & (Native.PollHangUp | Native.PollError)) != 0)
                return "The port went away; everything that had arrived is kept.";
            if (entries[1].Returned != 0)
                return "Ended by you.";
        }
    }

    /// <summary>Sends bytes; false when the other end does not take them within two seconds or is gone.</summary>
    public bool Send(ReadOnlySpan<byte> bytes)
    {
        lock (writing)
        {
            while (!bytes.IsEmpty && !closed)
            {
                var entry = new Native.PollEntry { Descriptor = descriptor, Events = Native.PollOut };
                if (Native.Poll(&entry, 1, 2000) <= 0 || (entry.Returned & (Native.PollHangUp | Native.PollError)) != 0)
                    return false;
                nint count;
                fixed (byte* start = bytes)
                    count = Native.Write(descriptor, start, (nuint)bytes.Length);
                if (count < 0 && Marshal.GetLastPInvokeError() is not (Native.Interrupted or Native.TryAgain))
                    return false;
                bytes = bytes[(int)Math.Max(0, count)..];
            }
            return bytes.IsEmpty;
        }
    }

    /// <summary>Ends the reading and closes the port; what had arrived was handed over before.</summary>
    public void Dispose()
    {
        lock (writing)
        {
            if (closed)
                return;
            closed = true;
        }
        ulong one = 1;
        _ = Native.Write(wake, (byte*)&one, 8);
        if (Thread.CurrentThread != thread)
            thread.Join();
        // A terminal stays exclusive while anybody has it open, also when that is not this program any more: it is given back.
        _ = Native.Control(descriptor, Native.NotExclusive, null);
        _ = Native.Close(descriptor);
        _ = Native.Close(wake);
    }
}
