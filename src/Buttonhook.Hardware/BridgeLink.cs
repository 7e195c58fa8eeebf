using System.Buffers.Binary;
using System.Net.Sockets;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Hardware;

/// <summary>A serial port behind the network: raw TCP, or with the port's settings by telnet (RFC 2217).</summary>
public sealed class BridgeLink : IConsoleLink
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(5);
    private static readonly TimeSpan BreakFor = TimeSpan.FromMilliseconds(300);
    private readonly TcpClient client;
    private readonly NetworkStream stream;
    private readonly Telnet? telnet;
    private readonly TaskCompletionSource<int> speedAnswer = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private readonly TaskCompletionSource refused = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private readonly Lock writing = new();
    private readonly string where;
    private volatile bool closed;

    private BridgeLink(TcpClient client, bool settings, string where)
    {
        this.client = client;
        this.where = where;
        stream = client.GetStream();
        telnet = settings ? new() : null;
    }

    /// <summary>Connects; a problem when nothing answers within five seconds, or when a bridge that should be set by RFC 2217 does not speak it.</summary>
    /// <param name="settings">Whether the bridge sets the line by RFC 2217; else the line is what was set at the bridge itself.</param>
    public static Answer<BridgeLink> Open(
        string host,
        int port,
        bool settings,
        LineSettings line,
        Action<byte[]> received,
        Action<string> ended
    )
    {
        var where = $"{host}:{port}";
        var client = new TcpClient { NoDelay = true };
        try
        {
            if (!client.ConnectAsync(host, port).Wait(Patience))
                throw new TimeoutException();
        }
        catch (Exception e) when (e is AggregateException or SocketException or TimeoutException or ArgumentException)
        {
            client.Dispose();
            return new Problem(
                $"A serial bridge should answer at {where}.",
                e is TimeoutException
                    ? "Nothing answers within five seconds."
                    : $"It cannot be reached: {(e.InnerException ?? e).Message}.",
                "Look at its address and port, and whether it has power and network."
            );
        }
        // A bridge that lost its power says no farewell.
        client.Client.SetSocketOption(SocketOptionLevel.Socket, SocketOptionName.KeepAlive, true);
        client.Client.SetSocketOption(SocketOptionLevel.Tcp, SocketOptionName.TcpKeepAliveTime, 5);
        client.Client.SetSocketOption(SocketOptionLevel.Tcp, SocketOptionName.TcpKeepAliveInterval, 2);
        client.Client.SetSocketOption(SocketOptionLevel.Tcp, SocketOptionName.TcpKeepAliveRetryCount, 3);
        client.SendTimeout = 2000;
        var link = new BridgeLink(client, settings, where);
        new Thread(() => ended(link.Loop(received))) { IsBackground = true, Name = "bridge" }.Start();
        if (!settings)
            return link;
        byte[] hello =
        [
            .. Telnet.Say(Telnet.Will, Telnet.Binary),
            .. Telnet.Say(Telnet.Do, Telnet.Binary),
            .. Telnet.Say(Telnet.Will, Telnet.SuppressGoAhead),
            .. Telnet.Say(Telnet.Do, Telnet.SuppressGoAhead),
            .. Telnet.Say(Telnet.Will, Telnet.ComPort),
            .. Telnet.Line(line),
        ];
        var answered = link.Write(hello) && Task.WhenAny(link.speedAnswer.Task, link.refused.Task).Wait(Patience);
        if (answered && link.speedAnswer.Task.IsCompleted)
            return link;
        link.Dispose();
        return new Problem(
            $"The bridge at {where} should set its line as told (RFC 2217).",
            answered ? "It refuses." : "It does not answer to that.",
            "Untick “The bridge sets speed and wires (RFC 2217)”, and set the speed at the bridge itself; at the command line use tcp: instead of rfc2217:."
        );
    }

    private string Loop(Action<byte[]> received)
    {
        var buffer = new byte[65536];
        while (true)
        {
            var count = stream.ReadOrEnd(buffer);
            if (count == 0)
            {
                refused.TrySetResult();
                return closed ? "Ended by you." : "The bridge went away; everything that had arrived is kept.";
            }
            if (telnet is null)
            {
                received(buffer[..count]);
                continue;
            }
            var (data, commands) = telnet.Read(buffer.AsSpan(0, count));
            if (data.Length > 0)
                received(data);
            foreach (var command in commands)
                Hear(command);
        }
    }

    private void Hear(TelnetCommand command)
    {
        switch (command)
        {
            case { Verb: Telnet.Begin, Option: Telnet.ComPort, Content: [Telnet.SetBaudRate + Telnet.Answered, .. { Length: 4 } speed] }:
                speedAnswer.TrySetResult(BinaryPrimitives.ReadInt32BigEndian(speed));
                break;
            case { Verb: Telnet.Dont, Option: Telnet.ComPort }:
                refused.TrySetResult();
                break;
            case { Verb: Telnet.Will, Option: not (Telnet.Binary or Telnet.SuppressGoAhead or Telnet.ComPort) }:
                Write(Telnet.Say(Telnet.Dont, command.Option));
                break;
            case { Verb: Telnet.Do, Option: not (Telnet.Binary or Telnet.SuppressGoAhead or Telnet.ComPort) }:
                Write(Telnet.Say(Telnet.Wont, command.Option));
                break;
        }
    }

    private bool Write(ReadOnlySpan<byte> bytes)
    {
        lock (writing)
            try
            {
                if (closed)
                    return false;
                stream.Write(bytes);
                return true;
            }
            catch (Exception e) when (e is IOException or ObjectDisposedException)
            {
                return false;
            }
    }

    /// <inheritdoc/>
    public bool Send(ReadOnlySpan<byte> bytes) => Write(telnet is null ? bytes : Telnet.Write(bytes));

    private Problem? Ask(string expected, ReadOnlySpan<byte> request) =>
        telnet is null ? new(expected, $"The bridge at {where} is plain TCP.", "Set it at the bridge itself, or open it with RFC 2217.")
        : Write(request) ? null
        : new(expected, $"The bridge at {where} does not take it.", "Check whether it is still there.");

    /// <inheritdoc/>
    public Problem? Set(LineSettings line) => Ask($"The line should be set to {line}.", Telnet.Line(line));

    /// <inheritdoc/>
    public Problem? SetWires(bool? dtr, bool? rts) =>
        Ask(
            "DTR and RTS should be set.",
            [
                .. dtr is { } d ? Telnet.Port(Telnet.SetControl, d ? Telnet.TerminalReadyOn : Telnet.TerminalReadyOff) : [],
                .. rts is { } r ? Telnet.Port(Telnet.SetControl, r ? Telnet.RequestOn : Telnet.RequestOff) : [],
            ]
        );

    /// <inheritdoc/>
    public Problem? Break()
    {
        if (Ask("A break should be sent.", Telnet.Port(Telnet.SetControl, Telnet.BreakOn)) is { } problem)
            return problem;
        Thread.Sleep(BreakFor);
        return Ask("A break should end.", Telnet.Port(Telnet.SetControl, Telnet.BreakOff));
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        closed = true;
        client.Dispose();
    }
}
