namespace Buttonhook.App.Images;

/// <summary>Writes with holes: blocks of zeros are left out, so that a file takes the room of what is in it.</summary>
public static class Holes
{
    private const int BlockBytes = 1 << 16;

    /// <summary>Writes a piece at its place; the length of the file is the caller's to set, since zeros at the end leave it short.</summary>
    /// <param name="wrote">Hears of each block that was written, with its size in bytes.</param>
    public static void Write(Stream file, ReadOnlySpan<byte> piece, long at, Action<int>? wrote = null)
    {
        for (var o = 0; o < piece.Length; o += BlockBytes)
        {
            var block = piece.Slice(o, Math.Min(BlockBytes, piece.Length - o));
            if (block.IndexOfAnyExcept((byte)0) < 0)
                continue;
            file.Position = at + o;
            file.Write(block);
            wrote?.Invoke(block.Length);
        }
    }
}
