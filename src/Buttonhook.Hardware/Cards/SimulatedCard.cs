using System.Runtime.InteropServices;
using Buttonhook.Core;

namespace Buttonhook.Hardware.Cards;

/// <summary>A card of a simulated slot: its label, and what is wrong with it (null and false where nothing is).</summary>
/// <param name="LabelGb">What its label says, 1 to 2048 GB.</param>
/// <param name="TrueGb">What it really holds, when that is less: what is written beyond comes round to the beginning.</param>
/// <param name="ReadOnlyFromMiB">So much can be written before it turns read-only.</param>
/// <param name="UnreadableAtMiB">A sector there cannot be read.</param>
/// <param name="RemovedAtMiB">So much is written when someone pulls it out.</param>
/// <param name="MegabytesPerSecond">How fast it is written; it reads at twice that.</param>
public sealed record SimulatedCardSetup(
    int LabelGb,
    int? TrueGb,
    int? ReadOnlyFromMiB,
    int? UnreadableAtMiB,
    int? RemovedAtMiB,
    double MegabytesPerSecond
);

/// <summary>A simulated card: a file with holes, as large as its label says, with the faults of its setup.</summary>
public sealed unsafe partial class SimulatedCard : CardDevice
{
    private const int PunchHole = 0x02;
    private const int KeepSize = 0x01;
    private const long MiB = 1 << 20;
    private const long Block = 4 << 20;
    private readonly FileStream file;
    private readonly SimulatedCardSetup setup;
    private readonly double pace;
    private readonly CancellationToken token;
    private readonly long length;
    private readonly long real;
    private long written;
    private double owedSeconds;

    [LibraryImport("libc", EntryPoint = "fallocate", SetLastError = true)]
    private static partial int Allocate(int descriptor, int mode, long offset, long length);

    /// <summary>Opens the card that lies in a file, which is made when it is not there.</summary>
    /// <param name="pace">How many times faster than its setup says it works.</param>
    public SimulatedCard(string path, SimulatedCardSetup setup, double pace = 1, CancellationToken token = default)
    {
        this.setup = setup;
        this.pace = pace;
        this.token = token;
        length = Sizes.CardBytes(setup.LabelGb);
        real = setup.TrueGb is { } gb ? Math.Min(length, Sizes.CardBytes(gb) / Block * Block) : length;
        Path = path;
        file = new FileStream(path, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.ReadWrite, 0);
        if (file.Length != length)
            file.SetLength(length);
    }

    /// <inheritdoc/>
    public override string Path { get; }

    /// <inheritdoc/>
    public override long Length => length;

    private bool Gone => setup.RemovedAtMiB is { } at && written >= at * MiB;

    /// <inheritdoc/>
    public override int Read(long offset, Span<byte> into)
    {
        if (Gone)
            throw new CardException(CardFault.Removed, offset, "The card is not in its slot any more.");
        if (offset < 0 || offset >= length)
            return 0;
        if (setup.UnreadableAtMiB is { } bad && offset < bad * MiB + 512 && offset + into.Length > bad * MiB)
            throw new CardException(CardFault.Unreadable, bad * MiB, $"The sector at byte {bad * MiB} cannot be read.");
        into = into[..(int)Math.Min(into.Length, length - offset)];
        Wait(into.Length / 2.0);
        for (var done = 0; done < into.Length; )
        {
            var at = (offset + done) % real;
            var piece = into.Slice(done, (int)Math.Min(into.Length - done, real - at));
            SparseFile.Read(file.SafeFileHandle, piece, at);
            done += piece.Length;
        }
        return into.Length;
    }

    /// <inheritdoc/>
    public override void Write(long offset, ReadOnlySpan<byte> bytes)
    {
        if (Gone)
            throw new CardException(CardFault.Removed, offset, "The card is not in its slot any more.");
        if (offset < 0 || offset + bytes.Length > length)
            throw new CardException(CardFault.Unwritable, offset, $"The card ends at byte {length}.");
        if (setup.ReadOnlyFromMiB is { } limit && written + bytes.Length > limit * MiB)
            throw new CardException(CardFault.ReadOnly, offset, "The card refuses to be written.");
        Wait(bytes.Length);
        for (var done = 0; done < bytes.Length; )
        {
            var at = (offset + done) % real;
            var piece = bytes.Slice(done, (int)Math.Min(bytes.Length - done, real - at));
            // Zeros become holes, so that a large card takes the room of what is on it.
            var hole =
                piece.Length >= 4096
                && piece.IndexOfAnyExcept((byte)0) < 0
                && Allocate((int)file.SafeFileHandle.DangerousGetHandle(), PunchHole | KeepSize, at, piece.Length) == 0;
            if (!hole)
                RandomAccess.Write(file.SafeFileHandle, piece, at);
            done += piece.Length;
        }
        written += bytes.Length;
    }

    private void Wait(double bytes)
    {
        owedSeconds += bytes / (setup.MegabytesPerSecond * 1e6) / pace;
        if (owedSeconds < 0.02)
            return;
        token.WaitHandle.WaitOne(TimeSpan.FromSeconds(owedSeconds));
        token.ThrowIfCancellationRequested();
        owedSeconds = 0;
    }

    /// <inheritdoc/>
    public override void Flush() => file.Flush(true);

    /// <inheritdoc/>
    public override void Dispose() => file.Dispose();
}
