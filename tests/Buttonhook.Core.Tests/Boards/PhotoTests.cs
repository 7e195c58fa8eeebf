using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Tests.Boards;

public class PhotoTests
{
    private static byte[] Segment(byte marker, params byte[] content) =>
        [0xFF, marker, (byte)((content.Length + 2) >> 8), (byte)(content.Length + 2), .. content];

    private static byte[] Text(string text) => System.Text.Encoding.ASCII.GetBytes(text);

    /// <summary>A frame header of precision 8, then height and width, and three components (T.81, B.2.2).</summary>
    private static byte[] Frame(int width, int height) =>
        Segment(0xC0, [8, (byte)(height >> 8), (byte)height, (byte)(width >> 8), (byte)width, 3, 1, 0x22, 0, 2, 0x11, 1, 3, 0x11, 1]);

    private static byte[] Jpeg(int width = 800, int height = 600) =>
        [
            0xFF,
            0xD8,
            .. Segment(0xE0, Text("JFIF\0")),
            .. Segment(0xE1, Text("Exif\0\0GPS north gate")),
            .. Segment(0xEE, Text("Adobe")),
            .. Segment(0xFE, Text("taken by a gardener")),
            .. Segment(0xDB, new byte[65]),
            .. Frame(width, height),
            .. Segment(0xDA, 3, 1, 0, 2, 0x11, 3, 0x11, 0, 63, 0),
            // Data with a stuffed byte and a restart in it.
            0x12,
            0xFF,
            0x00,
            0x34,
            0xFF,
            0xD0,
            0x56,
            0xFF,
            0xD9,
            .. Text("behind the end"),
        ];

    [Fact]
    public void Nothing_that_tells_of_place_time_or_person_is_kept_and_the_picture_is()
    {
        var photo = PhotoOf(Jpeg());
        Assert.Equal((800, 600), (photo.Width, photo.Height));
        var text = System.Text.Encoding.Latin1.GetString(photo.Bytes);
        Assert.DoesNotContain("GPS", text);
        Assert.DoesNotContain("gardener", text);
        Assert.DoesNotContain("behind", text);
        // How the colours are to be read is part of the picture.
        Assert.Contains("Adobe", text);
        Assert.Equal(
            (byte[])
                [
                    0xFF,
                    0xD8,
                    .. Segment(0xEE, Text("Adobe")),
                    .. Segment(0xDB, new byte[65]),
                    .. Frame(800, 600),
                    .. Segment(0xDA, 3, 1, 0, 2, 0x11, 3, 0x11, 0, 63, 0),
                    0x12,
                    0xFF,
                    0x00,
                    0x34,
                    0xFF,
                    0xD0,
                    0x56,
                    0xFF,
                    0xD9,
                ],
            photo.Bytes
        );
        Assert.Equal(photo.Bytes, PhotoOf(photo.Bytes).Bytes);
    }

    [Fact]
    public void What_is_no_whole_jpeg_or_too_large_is_refused_in_words()
    {
        Assert.Contains("This is none", Photo.Read("\x89PNG\r\n"u8).Problem!.Came);
        Assert.Contains("is none", Photo.Read([]).Problem!.Came);
        Assert.Contains("4000 × 600", Photo.Read(Jpeg(4000)).Problem!.Came);
        var whole = Jpeg();
        var end = whole.Length - "behind the end".Length;
        for (var length = 4; length < end; length++)
            Assert.NotNull(Photo.Read(whole.AsSpan(0, length)).Problem);
    }

    [Fact]
    public void Whatever_comes_is_read_or_refused_and_what_was_read_holds_no_metadata()
    {
        var random = new Random(26);
        for (var round = 0; round < 20_000; round++)
        {
            var bytes = Jpeg();
            for (var n = random.Next(1, 6); n > 0; n--)
                bytes[random.Next(bytes.Length)] = (byte)random.Next(256);
            if (Photo.Read(bytes).Value is not { } photo)
                continue;
            Assert.InRange(photo.Width, 1, Photo.MostPixels);
            Assert.Equal(photo.Bytes, PhotoOf(photo.Bytes).Bytes);
        }
    }

    private static Photo PhotoOf(byte[] bytes)
    {
        var read = Photo.Read(bytes);
        Assert.True(read.Value is not null, read.Problem?.ToString());
        return read.Value;
    }
}
