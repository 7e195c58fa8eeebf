using System.Buffers.Binary;
using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Simulating;
using Buttonhook.Hardware;
using Buttonhook.Storage;

namespace Buttonhook.App.Consoles;

/// <summary>Stand-ins for serial bridges: each simulated board behind a TCP port of this computer, set by RFC 2217 where that is asked for. At another speed than the board's, what arrives is what a receiver makes of it.</summary>
public sealed class SimulatedBridges(SimulatedTerminals terminals, BoardStore boards, Profiles profiles) : IDisposable
{
    private readonly ConcurrentDictionary<string, Lazy<TcpListener>> listeners = new();

    /// <summary>Where the bridge of a simulated board listens ("127.0.0.1:41235"); made when first asked for.</summary>
    public string AddressOf(string boardId) => listeners.GetOrAdd(boardId, id => new(() => Listen(id))).Value.LocalEndpoint.ToString()!;

    /// <summary>The simulated board behind an address, or null.</summary>
    public string? BoardAt(string address) => listeners.FirstOrDefault(l => l.Value.Value.LocalEndpoint.ToString() == address).Key;

    private TcpListener Listen(string boardId)
    {
        var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        _ = Task.Run(async () =>
        {
            try
            {
                while (true)
                {
                    var client = await listener.AcceptTcpClientAsync();
                    _ = Task.Run(() => Serve(boardId, client));
                }
            }
            catch (Exception e) when (e is SocketException or ObjectDisposedException)
            {
                // The application stops.
            }
        });
        return listener;
    }

    private void Serve(string boardId, TcpClient client)
    {
        var speed =
            boards.Find(boardId) is { } bench && profiles.Catalogue.Model(bench.Board.ModelId)?.Console.Speed is { } own
                ? own
                : SimulationPlan.RehearsalSpeed;
        terminals.ListenAt(boardId, speed);
        var speaksTelnet = false;
        using var closed = client;
        var stream = client.GetStream();
        void Send(byte[] bytes)
        {
            try
            {
                lock (stream)
                    stream.Write(bytes);
            }
            catch (Exception e) when (e is IOException or ObjectDisposedException)
            {
                client.Dispose();
            }
        }
        using var listening = terminals.Listen(boardId, bytes => Send(speaksTelnet ? Telnet.Write(bytes) : bytes));
        var telnet = new Telnet();
        var buffer = new byte[4096];
        while (true)
        {
            var count = stream.ReadOrEnd(buffer);
            if (count == 0)
            {
                terminals.ListenAt(boardId, null);
                return;
            }
            speaksTelnet |= buffer[0] == Telnet.Interpret;
            if (!speaksTelnet)
            {
                terminals.Type(boardId, buffer[..count]);
                continue;
            }
            var (data, commands) = telnet.Read(buffer.AsSpan(0, count));
            if (data.Length > 0)
                terminals.Type(boardId, data);
            foreach (var command in commands)
                switch (command)
                {
                    case { Verb: Telnet.Will, Option: Telnet.ComPort }:
                        Send(Telnet.Say(Telnet.Do, Telnet.ComPort));
                        break;
                    case { Verb: Telnet.Begin, Option: Telnet.ComPort, Content: [Telnet.SetBaudRate, .. { Length: 4 } wanted] }:
                        terminals.ListenAt(boardId, BinaryPrimitives.ReadInt32BigEndian(wanted));
                        Send(Telnet.Port(Telnet.SetBaudRate + Telnet.Answered, wanted));
                        break;
                    case { Verb: Telnet.Begin, Option: Telnet.ComPort, Content: [< Telnet.Answered and var request, .. var value] }:
                        Send(Telnet.Port((byte)(request + Telnet.Answered), value));
                        break;
                }
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var listener in listeners.Values)
            listener.Value.Dispose();
    }
}
