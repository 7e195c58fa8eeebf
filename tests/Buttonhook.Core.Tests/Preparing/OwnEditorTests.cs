using System.Text;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Tests.Preparing;

/// <summary>Command lines that come back from a person's own editor.</summary>
public class OwnEditorTests
{
    private static readonly ConsolePort Console = new("ttyS0", 115200, ConsoleLevel.Logic33, "header", "6", "8", "10");

    private static CheckedFile Check(string line) => FileTraps.Check(Encoding.UTF8.GetBytes(line), oneLine: true, keepTabs: false, Console);

    [Theory]
    [InlineData("root=LABEL=a rootwait root=LABEL=b\n", "rootwait root=LABEL=b\n", "root= stands 2 times")]
    [InlineData(
        "root=LABEL=a modules-load=dwc2,g_ether rootwait quiet\n",
        "root=LABEL=a rootwait modules-load=dwc2,g_ether quiet\n",
        "must come behind it"
    )]
    [InlineData(
        "console=ttyS0,115200 console=tty1 root=LABEL=a\n",
        "console=tty1 console=ttyS0,115200 root=LABEL=a\n",
        "ttyS0 is put last"
    )]
    [InlineData("console=ttyS0\u00A0,115200 root=LABEL=a\n", "console=ttyS0,115200 root=LABEL=a\n", "in the middle of a word")]
    [InlineData("console=\u00A0ttyS0,115200 root=LABEL=a\n", "console=ttyS0,115200 root=LABEL=a\n", "in the middle of a word")]
    [InlineData("console=ttyS0,115200\u00A0root=LABEL=a\n", "console=ttyS0,115200 root=LABEL=a\n", "does not break")]
    public void What_can_be_mended_is_mended_and_told(string line, string clean, string says)
    {
        var told = Check(line);
        Assert.Contains(told.Traps, t => t.Mended && t.Text.Contains(says));
        Assert.Equal(clean, told.Clean);
        Assert.DoesNotContain(Check(told.Clean).Traps, t => t.Mended);
    }

    [Theory]
    [InlineData("console=ttyS0 ,115200 root=LABEL=a\n", "half a word")]
    [InlineData("console=ttyAMA0,115200 root=LABEL=a\n", "this board's console is ttyS0")]
    [InlineData("root=LABEL=a quiet quiet=1 \"open\n", "does not close")]
    public void What_only_a_person_can_mend_is_told_and_left(string line, string says)
    {
        var told = Check(line);
        Assert.Contains(told.Traps, t => !t.Mended && t.Text.Contains(says));
    }

    [Theory]
    [InlineData("/cmdline.txt", "root=LABEL=x  rootwait  quiet")]
    [InlineData("/extlinux/extlinux.conf", "label a\r\n\tlinux /Image\r\n\tappend  root=LABEL=x   quiet\r\n")]
    [InlineData("/grub/grub.cfg", "menuentry a {\n  linux   /Image  root=LABEL=x\n}")]
    [InlineData("/loader/entries/a.conf", "title a\noptions   root=LABEL=x  quiet\n\n\n")]
    [InlineData("/bootEnv.txt", "kernel=Image\nextraargs=root=LABEL=x   quiet\n\n")]
    public void A_file_that_nothing_is_asked_of_keeps_its_bytes(string path, string text)
    {
        var files = FirstBootFiles.Render(
            FirstBoot.Usual with
            {
                ConsoleOn = false,
            },
            [],
            new ImageTexts(new Dictionary<string, string> { [path] = text }, "/boot", "BOOT", false, true),
            Console
        );
        Assert.Empty(files.Files);
    }

    [Fact]
    public void A_recipe_says_before_it_is_used_what_the_image_has_no_place_for()
    {
        var recipe = new Recipe(
            Recipe.FileFormat,
            "a",
            "A",
            "b",
            new([], [], [], []),
            [new(RecipeAction.Append, "dtoverlay", "dwc2", null, null), new(RecipeAction.Word, "quiet", null, null, null)]
        );
        ImageTexts Image(string path) => new(new Dictionary<string, string> { [path] = "" }, "/boot", "BOOT", true, true);
        Assert.Null(FirstBootFiles.LeftOut(recipe, Image("/config.txt")));
        Assert.Equal(
            "1 of 2 steps have no place on this image and would be left out: dtoverlay=dwc2.",
            FirstBootFiles.LeftOut(recipe, Image("/extlinux/extlinux.conf"))
        );
        Assert.StartsWith("Nothing of it", FirstBootFiles.LeftOut(recipe, Image("/something")));
    }
}
