using System.Text;
using Buttonhook.Core.Preparing;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Preparing;

public class TextTests
{
    [Property(MaxTest = 300)]
    public Property The_pieces_of_a_difference_make_up_both_texts() =>
        Prop.ForAll(
            Gen.Elements('a', 'b', ' ', '\n').ListOf().Select(l => string.Concat(l)).Two().ToArbitrary(),
            pair =>
            {
                var (before, after) = pair;
                var pieces = TextDifference.Of(before, after);
                string Of(Change without) => string.Concat(pieces.Where(p => p.Change != without).Select(p => p.Text));
                return Of(Change.Added) == before && Of(Change.Removed) == after && pieces.All(p => p.Text.Length > 0);
            }
        );

    [Fact]
    public void A_difference_marks_only_what_changed()
    {
        var pieces = TextDifference.Of("root=LABEL=x ro rootwait\n", "root=LABEL=x ro rootwait console=ttyS0,115200\n");
        Assert.Equal(
            [new(Change.Same, "root=LABEL=x ro rootwait"), new(Change.Added, " console=ttyS0,115200"), new TextPiece(Change.Same, "\n")],
            pieces
        );
        Assert.Equal(3, TextDifference.Of(new string('a', 9000) + "x", new string('b', 9000) + "x").Count);
    }

    [Property(MaxTest = 300)]
    public Property A_command_line_comes_back_as_it_was_but_for_blanks() =>
        Prop.ForAll(
            Gen.Elements("root=LABEL=x", "ro", "rootwait", "console=ttyS0,115200", "dyndbg=\"file x +p\"", "quiet").ListOf().ToArbitrary(),
            words =>
            {
                var line = new KernelCommandLine("  " + string.Join(" \t ", words) + " \n");
                return line.Words.SequenceEqual(words) && new KernelCommandLine(line.ToString()).Words.SequenceEqual(words);
            }
        );

    [Fact]
    public void A_command_line_is_edited_as_a_structure()
    {
        var line = new KernelCommandLine("console=tty1 root=LABEL=x rootwait quiet root=LABEL=y");
        Assert.Equal("console=tty1 rootwait quiet root=LABEL=z", line.Set("root", "LABEL=z").ToString());
        Assert.Equal(
            "console=tty1 root=LABEL=x rootwait modules-load=g_ether quiet root=LABEL=y",
            line.Insert("modules-load=g_ether", "rootwait").ToString()
        );
        Assert.Equal("console=tty1 rootwait quiet", line.Remove("root").ToString());
        Assert.Equal(
            "console=tty1 console=ttyS0,115200 root=LABEL=x rootwait quiet root=LABEL=y",
            line.WithConsole("ttyS0", 115200).ToString()
        );
        Assert.Equal("init=\"/bin/a b\"", new KernelCommandLine("").Set("init", "/bin/a b").ToString());
        Assert.Same(line, line.Insert("quiet"));
        var right = new KernelCommandLine("root=LABEL=x console=tty1 console=ttyS0,115200n8");
        Assert.Same(right, right.WithConsole("ttyS0", 115200));
    }

    [Fact]
    public void Findings_name_what_a_kernel_would_stumble_over()
    {
        Assert.Empty(new KernelCommandLine("root=LABEL=x rootwait modules-load=g_ether console=tty1 console=ttyS0").Findings());
        Assert.Contains("double quote", Assert.Single(new KernelCommandLine("root=\"LABEL=x quiet").Findings()));
        Assert.Contains("stands 2 times", Assert.Single(new KernelCommandLine("root=a root=b").Findings()));
        Assert.Contains("must come behind it", Assert.Single(new KernelCommandLine("modules-load=g_ether rootwait").Findings()));
        Assert.Contains("no plain one", Assert.Single(new KernelCommandLine("root=LABEL=x\u00A0quiet").Findings()));
    }

    [Theory]
    [InlineData("\uFEFFroot=a quiet\n", "root=a quiet\n", "byte-order mark")]
    [InlineData("root=a quiet\r\n", "root=a quiet\n", "as on Windows")]
    [InlineData("root=\u201Ca\u201D\n", "root=\"a\"\n", "double quote")]
    [InlineData("root=a\u00A0quiet\n", "root=a quiet\n", "does not break")]
    [InlineData("root=a\nquiet\n", "root=a quiet\n", "2 lines")]
    [InlineData("root=a\tquiet\n", "root=a quiet\n", "a tab")]
    [InlineData("root=a  quiet\n", "root=a quiet\n", "Two blanks")]
    public void Every_trap_of_an_editor_is_told_and_mended(string text, string clean, string told)
    {
        var found = FileTraps.Check(Encoding.UTF8.GetBytes(text), oneLine: true, keepTabs: false);
        Assert.Contains(found.Traps, t => t.Text.Contains(told));
        Assert.Equal(clean, found.Clean);
        Assert.Empty(FileTraps.Check(Encoding.UTF8.GetBytes(found.Clean), true, false).Traps);
    }

    [Fact]
    public void Utf_16_and_hidden_endings_are_seen()
    {
        var found = FileTraps.Check([0xFF, 0xFE, .. Encoding.Unicode.GetBytes("a=1\n")], false, true);
        Assert.Equal("a=1\n", found.Clean);
        Assert.Equal("cmdline.txt", FileTraps.HiddenEnding("cmdline.txt.txt", ["cmdline.txt", "ssh"]));
        Assert.Equal("ssh", FileTraps.HiddenEnding("/boot/ssh.txt", ["cmdline.txt", "ssh"]));
        Assert.Null(FileTraps.HiddenEnding("cmdline.txt", ["cmdline.txt", "ssh"]));
    }
}
