using System.Text;
using Buttonhook.Core.Consoles;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Consoles;

public class LineTextTests
{
    private static string Clean(string text) => LineText.Clean(Encoding.UTF8.GetBytes(text));

    [Theory]
    [InlineData("[\u001b[0;32m  OK  \u001b[0m] Started log.\r\r\n", "[  OK  ] Started log.")]
    [InlineData("autoboot:  2 \b\b\b 1 \b\b\b 0 \r\n", "autoboot:  0 ")]
    [InlineData("\u001bM\r\u001b[K[ *** ] Job", "[ *** ] Job")]
    [InlineData("\u001b[2;24HGNU GRUB  version\u001b[5;2H|", "GNU GRUB  version |")]
    [InlineData("\u001b]0;title\u0007prompt", "prompt")]
    [InlineData("first\rsecond", "first second")]
    [InlineData("<b>bold</b> & co", "<b>bold</b> & co")]
    [InlineData("de\u007fl", "del")]
    [InlineData("", "")]
    public void Escapes_backspaces_and_returns_are_taken_out(string raw, string text) => Assert.Equal(text, Clean(raw));

    [Property]
    public bool Any_bytes_give_text_without_control_characters(byte[] bytes) => LineText.Clean(bytes).All(c => c >= ' ' && c != '\u007f');

    [Property]
    public bool Plain_text_comes_back_as_it_is(FsCheck.NonNull<string> text)
    {
        var plain = new string([.. text.Get.Where(c => c is >= ' ' and < (char)127)]);
        return Clean(plain) == plain;
    }
}
