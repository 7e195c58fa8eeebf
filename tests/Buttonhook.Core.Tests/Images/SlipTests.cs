using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging.Chain;

namespace Buttonhook.Core.Tests.Images;

public class SlipTests
{
    [Theory]
    [InlineData("defualts", "defaults", true)]
    [InlineData("noatme", "noatime", true)]
    [InlineData("nofaill", "nofail", true)]
    [InlineData("noexex", "noexec", true)]
    [InlineData("noatime", "noatime", false)]
    [InlineData("noauto", "nofail", false)]
    [InlineData("x-own", "exec", false)]
    public void One_wrong_letter_makes_another_word(string one, string other, bool slip)
    {
        Assert.Equal(slip, MountTableHolds.IsOneSlip(one, other));
        Assert.Equal(slip, MountTableHolds.IsOneSlip(other, one));
    }

    [Fact]
    public void A_folder_that_stands_where_a_link_belongs_is_found_and_links_are_none()
    {
        FileTree Tree(Dictionary<string, byte[]> files, params (string, string)[] links) =>
            FileTree.Open(ImageBytes.Of(ImageMaker.Ext(files, "4M", links))).Tree!;
        var file = "x"u8.ToArray();
        var moved = Tree(
            new()
            {
                ["/usr/lib/libfrost.so"] = file,
                ["/usr/sbin/init"] = file,
                ["/lib/readme"] = file,
            },
            ("/sbin", "usr/sbin")
        );
        Assert.True(moved.IsLink("/sbin"));
        Assert.False(moved.IsLink("/lib"));
        Assert.Equal("lib", FirstProgramRuns.Replaced(moved));
        var whole = Tree(new() { ["/usr/lib/libfrost.so"] = file, ["/usr/sbin/init"] = file }, ("/sbin", "usr/sbin"), ("/lib", "usr/lib"));
        Assert.Null(FirstProgramRuns.Replaced(whole));
        // A system whose folders all stand at the top has no such links.
        Assert.Null(FirstProgramRuns.Replaced(Tree(new() { ["/lib/a"] = file, ["/usr/lib/b"] = file })));
    }
}
