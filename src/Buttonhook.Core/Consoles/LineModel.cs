namespace Buttonhook.Core.Consoles;

/// <summary>
/// A serial line bit by bit: bytes sent as 8N1 frames, least significant bit first, and sampled by a receiver at another rate or
/// with inverted levels. The receiver starts at a falling edge, checks the middle of the start bit, samples the middle of each bit
/// and, after a stop bit that reads low, waits for the line to go high: the behaviour of a common asynchronous receiver.
/// </summary>
public static class LineModel
{
    /// <summary>What a receiver makes of <paramref name="sent"/>.</summary>
    /// <param name="sent">The bytes as the board sends them.</param>
    /// <param name="sendRate">Bits per second of the board; above 0.</param>
    /// <param name="receiveRate">Bits per second of the receiver; above 0.</param>
    /// <param name="inverted">Whether the levels are swapped on the way.</param>
    /// <param name="gap">Idle half bit times between two bytes.</param>
    public static byte[] Receive(ReadOnlySpan<byte> sent, double sendRate, double receiveRate, bool inverted = false, int gap = 0)
    {
        var line = Halves(sent, inverted, gap);
        var step = sendRate / receiveRate * 2;
        var received = new List<byte>(sent.Length);
        var position = 0.0;
        bool At(double time) => line[Math.Min((int)(time + 1e-6), line.Length - 1)];
        while (position < line.Length)
        {
            var edge = (int)position;
            while (edge < line.Length && !line[edge])
                edge++;
            while (edge < line.Length && line[edge])
                edge++;
            if (edge >= line.Length)
                break;
            if (At(edge + step / 2))
            {
                position = edge + step / 2;
                continue;
            }
            if (edge + 9.5 * step >= line.Length + step)
                break;
            var value = 0;
            for (var bit = 0; bit < 8; bit++)
                if (At(edge + (1.5 + bit) * step))
                    value |= 1 << bit;
            received.Add((byte)value);
            position = edge + 9.5 * step;
        }
        return [.. received];
    }

    private static bool[] Halves(ReadOnlySpan<byte> sent, bool inverted, int gap)
    {
        const int idle = 60;
        var line = new bool[idle * 2 + sent.Length * (20 + gap)];
        Array.Fill(line, !inverted);
        var at = idle;
        void Bit(bool level)
        {
            line[at++] = level != inverted;
            line[at++] = level != inverted;
        }
        foreach (var b in sent)
        {
            Bit(false);
            for (var bit = 0; bit < 8; bit++)
                Bit((b >> bit & 1) != 0);
            Bit(true);
            at += gap;
        }
        return line;
    }
}
