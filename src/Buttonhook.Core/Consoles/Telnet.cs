using System.Buffers.Binary;

namespace Buttonhook.Core.Consoles;

/// <summary>A command that stood between the bytes of a telnet stream.</summary>
/// <param name="Verb">DO, DONT, WILL, WONT or SB (RFC 854).</param>
/// <param name="Option">The option that it is about.</param>
/// <param name="Content">What a sub-negotiation says; empty for the others.</param>
public sealed record TelnetCommand(byte Verb, byte Option, byte[] Content);

/// <summary>The bytes of a telnet connection and its option for serial ports (RFC 854, 856, 858 and 2217), either end; any cut of the stream reads the same.</summary>
public sealed class Telnet
{
    /// <summary>Bytes that stand for themselves everywhere in RFC 854.</summary>
    public const byte Interpret = 255,
        Dont = 254,
        Do = 253,
        Wont = 252,
        Will = 251,
        Begin = 250,
        End = 240;

    /// <summary>Options: eight clean bits (RFC 856), no go-ahead (RFC 858), the serial port (RFC 2217).</summary>
    public const byte Binary = 0,
        SuppressGoAhead = 3,
        ComPort = 44;

    /// <summary>What a client asks of the port (RFC 2217); the answer has the same number plus 100.</summary>
    public const byte SetBaudRate = 1,
        SetDataSize = 2,
        SetParity = 3,
        SetStopSize = 4,
        SetControl = 5,
        Answered = 100;

    /// <summary>Values of <see cref="SetControl"/>.</summary>
    public const byte NoFlow = 1,
        ByteFlow = 2,
        WireFlow = 3,
        BreakOn = 5,
        BreakOff = 6,
        TerminalReadyOn = 8,
        TerminalReadyOff = 9,
        RequestOn = 11,
        RequestOff = 12;

    /// <summary>No option is told in more; what is longer is no telnet.</summary>
    private const int LongestCommand = 4096;

    private enum State
    {
        Data,
        Interpret,
        Option,
        Content,
        ContentInterpret,
    }

    private readonly List<byte> content = [];
    private State state;
    private byte verb;

    /// <summary>Reads a piece: the bytes of the console, and the commands between them in order.</summary>
    public (byte[] Data, IReadOnlyList<TelnetCommand> Commands) Read(ReadOnlySpan<byte> piece)
    {
        var data = new byte[piece.Length];
        var length = 0;
        List<TelnetCommand>? commands = null;
        foreach (var b in piece)
            switch (state)
            {
                case State.Data when b == Interpret:
                    state = State.Interpret;
                    break;
                case State.Data:
                    data[length++] = b;
                    break;
                case State.Interpret when b == Interpret:
                    data[length++] = b;
                    state = State.Data;
                    break;
                case State.Interpret when b is Do or Dont or Will or Wont:
                    verb = b;
                    state = State.Option;
                    break;
                case State.Interpret when b == Begin:
                    content.Clear();
                    state = State.Content;
                    break;
                case State.Interpret:
                    state = State.Data;
                    break;
                case State.Option:
                    (commands ??= []).Add(new(verb, b, []));
                    state = State.Data;
                    break;
                case State.Content when b == Interpret:
                    state = State.ContentInterpret;
                    break;
                case State.Content:
                    if (content.Count < LongestCommand)
                        content.Add(b);
                    break;
                case State.ContentInterpret when b == End:
                    if (content.Count > 0)
                        (commands ??= []).Add(new(Begin, content[0], [.. content.Skip(1)]));
                    state = State.Data;
                    break;
                default:
                    if (content.Count < LongestCommand)
                        content.Add(b);
                    state = State.Content;
                    break;
            }
        return (length == data.Length ? data : data[..length], commands ?? (IReadOnlyList<TelnetCommand>)[]);
    }

    /// <summary>Console bytes as they go over the wire: the byte 255 twice.</summary>
    public static byte[] Write(ReadOnlySpan<byte> data)
    {
        var doubled = data.Count(Interpret);
        if (doubled == 0)
            return data.ToArray();
        var bytes = new byte[data.Length + doubled];
        var at = 0;
        foreach (var b in data)
        {
            bytes[at++] = b;
            if (b == Interpret)
                bytes[at++] = b;
        }
        return bytes;
    }

    /// <summary>One word about an option.</summary>
    public static byte[] Say(byte verb, byte option) => [Interpret, verb, option];

    /// <summary>A request about the serial port, or the answer to one.</summary>
    public static byte[] Port(byte request, params ReadOnlySpan<byte> value) =>
        [Interpret, Begin, ComPort, request, .. Write(value), Interpret, End];

    /// <summary>The requests that set a line, in the order of RFC 2217.</summary>
    public static byte[] Line(LineSettings line)
    {
        Span<byte> speed = stackalloc byte[4];
        BinaryPrimitives.WriteInt32BigEndian(speed, line.Speed);
        return
        [
            .. Port(SetBaudRate, speed),
            .. Port(SetDataSize, (byte)line.DataBits),
            .. Port(
                SetParity,
                (byte)(
                    line.Parity switch
                    {
                        Parity.Odd => 2,
                        Parity.Even => 3,
                        _ => 1,
                    }
                )
            ),
            .. Port(SetStopSize, (byte)line.StopBits),
            .. Port(
                SetControl,
                (byte)(
                    line.Flow switch
                    {
                        FlowControl.Software => ByteFlow,
                        FlowControl.Hardware => WireFlow,
                        _ => NoFlow,
                    }
                )
            ),
        ];
    }
}
