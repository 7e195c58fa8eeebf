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

    private static string Runs(string text)
    {
        var (clean, runs) = LineText.Coloured(Encoding.UTF8.GetBytes(text));
        return string.Join(", ", runs.Select(r => $"{clean.Substring(r.From, r.Length)}:{r.Colour}{(r.Bold ? " bold" : "")}"));
    }

    [Theory]
    [InlineData("[\u001b[0;32m  OK  \u001b[0m] Started", "  OK  :green")]
    [InlineData("[\u001b[0;1;31mFAILED\u001b[0m] Failed", "FAILED:red bold")]
    [InlineData("plain \u001b[93mbright\u001b[39m plain", "bright:yellow")]
    [InlineData("\u001b[38;5;203mred by number", "red by number:#ff5f5f")]
    [InlineData("\u001b[38;2;200;180;90mexact", "exact:#c8b45a")]
    [InlineData("\u001b[1mthick \u001b[22mthin", "thick : bold")]
    [InlineData("grü\u001b[32mn", "n:green")]
    public void Colours_that_the_system_sends_are_kept(string raw, string runs) => Assert.Equal(runs, Runs(raw));

    [Theory]
    [InlineData("\u001b[30mblack on black")]
    [InlineData("\u001b[38;5;196mpure red, 4.4 to 1")]
    [InlineData("\u001b[38;5;17mdark blue by number")]
    [InlineData("\u001b[38;2;30;30;30mnearly the ground")]
    [InlineData("\u001b[37mwhite is plain text")]
    [InlineData("\u001b[38;5;999mno such number")]
    [InlineData("\u001b[48;5;196mred ground, plain text")]
    public void A_colour_that_cannot_be_read_is_left_out(string raw) => Assert.Equal("", Runs(raw));

    [Property]
    public bool Runs_lie_in_the_text_in_order_and_never_touch_it(byte[] bytes, byte[] more)
    {
        byte[] raw = [.. bytes, 0x1B, (byte)'[', (byte)'3', (byte)'1', (byte)'m', .. more, 0x1B, (byte)'[', (byte)'0', (byte)'m', .. bytes];
        var (text, runs) = LineText.Coloured(raw);
        var at = 0;
        foreach (var run in runs)
        {
            if (run.From < at || run.Length < 1 || run.From + run.Length > text.Length)
                return false;
            at = run.From + run.Length;
        }
        return text == LineText.Clean(raw) || text == LineText.Shown(raw);
    }
}
