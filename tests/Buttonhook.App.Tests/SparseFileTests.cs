using Buttonhook.Hardware;
using Buttonhook.Hardware.Cards;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;

namespace Buttonhook.App.Tests;

/// <summary>Files with holes read as the same bytes as ever, wherever a hole begins or ends.</summary>
public sealed class SparseFileTests : InFolder
{
    private const int Block = 4096;

    [Property(MaxTest = 60)]
    public Property A_read_gives_the_bytes_that_the_file_has(bool[] filled, NonNegativeInt offset, PositiveInt count)
    {
        var path = Path.Combine(folder, Guid.NewGuid().ToString("N"));
        using (var made = new FileStream(path, FileMode.Create, FileAccess.Write, FileShare.None, 0))
        {
            made.SetLength(filled.Length * Block + 17);
            foreach (var (i, full) in filled.Index())
                if (full)
                    RandomAccess.Write(made.SafeFileHandle, Enumerable.Range(0, Block).Select(n => (byte)(n * 7 + i)).ToArray(), i * Block);
        }
        var whole = System.IO.File.ReadAllBytes(path);
        var from = offset.Get * 211 % (whole.Length + Block);
        var into = new byte[count.Get * 977 % (3 * Block) + 1];
        into.AsSpan().Fill(0xAA);
        using var file = System.IO.File.OpenRead(path);
        var read = SparseFile.Read(file.SafeFileHandle, into, from);
        var expected = whole.AsSpan(Math.Min(from, whole.Length))[..Math.Clamp(whole.Length - from, 0, into.Length)].ToArray();
        using var stream = new SparseStream(file);
        using var all = new MemoryStream();
        stream.CopyTo(all);
        using var card = new FileCard(path + ".card", whole.Length);
        card.Write(0, whole);
        var back = new byte[whole.Length];
        return (
            into[..read].SequenceEqual(expected)
            && into[read..].All(b => b == 0xAA)
            && all.ToArray().SequenceEqual(whole)
            && stream.Position == whole.Length
            && card.Read(0, back) == whole.Length
            && back.SequenceEqual(whole)
        ).ToProperty();
    }

    [Fact]
    public void Nothing_is_read_before_the_beginning_and_behind_the_end()
    {
        using var file = System.IO.File.OpenRead(File("some", [1, 2, 3]));
        Assert.Equal(0, SparseFile.Read(file.SafeFileHandle, new byte[8], -1));
        Assert.Equal(0, SparseFile.Read(file.SafeFileHandle, new byte[8], 3));
        Assert.Equal(0, SparseFile.Read(file.SafeFileHandle, new byte[8], long.MaxValue));
        Assert.Equal(2, SparseFile.Read(file.SafeFileHandle, new byte[8], 1));
    }
}
