using Buttonhook.Core.Keeping;

namespace Buttonhook.Core.Tests.Keeping;

public class MovePlanTests
{
    private static MovePlan Plan(string model, MoveTarget target) =>
        MovePlan.For(
            target,
            Bench.Board(model),
            Bench.Catalogue.Model(model)!,
            Bench.Catalogue.Images.First(i => i.Supports.Any(s => s.Model == model)),
            Bench.Catalogue
        );

    [Theory]
    [InlineData("core-4", MoveTarget.Flash, true, "The flash has 16 GB, the card 32 GB: what lies on it must fit.")]
    [InlineData("thimble", MoveTarget.Flash, false, "No flash is soldered onto this board.")]
    [InlineData("quill-v", MoveTarget.Ssd, true, "Its ROM can start from it (card, ssd): the card can be taken out afterwards.")]
    [InlineData(
        "quill-v",
        MoveTarget.Usb,
        true,
        "Its ROM does not start from it (card, ssd): loader and kernel stay on the card, only the root moves."
    )]
    public void Whether_a_board_can_be_moved_is_told_by_its_card(string model, MoveTarget target, bool possible, string says)
    {
        var plan = Plan(model, target);
        Assert.Equal(possible, plan.Possible);
        Assert.Contains(says, plan.Says);
        Assert.Equal(possible, plan.Steps.Count > 0);
    }

    [Fact]
    public void A_drive_is_counted_into_the_supply() =>
        Assert.Contains(Plan("quill-v", MoveTarget.Ssd).Says, s => s.StartsWith("With SSD: Needs ", StringComparison.Ordinal));

    [Fact]
    public void What_is_not_known_of_a_board_is_not_guessed()
    {
        var model = Bench.Catalogue.Model("quill-v")! with { BootMedia = [], Ports = [] };
        var plan = MovePlan.For(MoveTarget.Ssd, Bench.Board("quill-v"), model, null, Bench.Catalogue);
        Assert.Null(plan.Possible);
        Assert.Contains("What sockets this board has is not known.", plan.Says);
        Assert.Contains(plan.Says, s => s.StartsWith("What its ROM can start from is not known", StringComparison.Ordinal));
    }

    [Fact]
    public void What_erases_says_so_and_only_the_root_moves_where_the_rom_cannot_start()
    {
        var whole = Plan("quill-v", MoveTarget.Ssd).Steps;
        Assert.Contains(
            whole,
            s => s.Command?.Contains("dd if=/dev/mmcblk0 of=/dev/nvme0n1") == true && s.Caution!.Contains("erases /dev/nvme0n1")
        );
        Assert.Contains(whole, s => s.Text.StartsWith("Take the card out", StringComparison.Ordinal));
        var root = Plan("quill-v", MoveTarget.Usb).Steps;
        Assert.Contains(root, s => s.Command?.Contains("mkfs.ext4 -L newroot /dev/sda1") == true);
        Assert.Contains(root, s => s.Text.StartsWith("Leave the card in", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData(MoveTarget.Ssd, "/dev/mmcblk0p2", "/dev/nvme0n1p2", true)]
    [InlineData(MoveTarget.Ssd, "/dev/mmcblk0p2", "/dev/mmcblk0p2", false)]
    [InlineData(MoveTarget.Usb, "/dev/mmcblk0p2", "/dev/sda1", true)]
    [InlineData(MoveTarget.Flash, "/dev/mmcblk0p2", "/dev/mmcblk1p2", true)]
    // Some boards call their flash the first one.
    [InlineData(MoveTarget.Flash, "/dev/mmcblk1p2", "/dev/mmcblk0p2", true)]
    [InlineData(MoveTarget.Flash, "/dev/sda2", "/dev/mmcblk0p2", null)]
    [InlineData(MoveTarget.Flash, "/dev/mmcblk0p2", "/dev/mmcblk0p1", false)]
    [InlineData(MoveTarget.Flash, "/dev/mmcblk0p2", "/dev/mmcblk0p2", false)]
    [InlineData(MoveTarget.Flash, "/dev/mmcblk0p2", null, null)]
    [InlineData(MoveTarget.Ssd, null, "/dev/dm-0", null)]
    public void The_next_boot_proves_it_or_says_which_it_was(MoveTarget target, string? before, string? mounted, bool? took)
    {
        var proof = MovePlan.Proof(target, before, mounted);
        Assert.Equal(took, proof.Took);
        if (mounted is not null)
            Assert.Contains(mounted, proof.Says);
    }
}
