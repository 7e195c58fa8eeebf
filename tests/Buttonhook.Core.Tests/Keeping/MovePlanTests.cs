using System.Text;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Keeping;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Keeping;

public class MovePlanTests
{
    private static MovePlan Plan(string model, MoveTarget target, MoveSight? sight = null) =>
        MovePlan.For(
            target,
            Bench.Board(model),
            Bench.Catalogue.Model(model)!,
            Bench.Catalogue.Images.First(i => i.Supports.Any(s => s.Model == model)),
            Bench.Catalogue,
            sight ?? Nothing
        );

    private static readonly MoveSight Nothing = new(null, null, "seed", Knowledge.Commands);

    /// <summary>What lsblk(8), findmnt(8) and the files of a real system said (lab/systems), names of devices and identifiers as they were.</summary>
    private static string Look(string table = "gpt", string root = "/dev/mmcblk1p2", string type = "ext4", string more = "") =>
        $"""
            look: begin
            NAME="mmcblk1" TYPE="disk" SIZE="7948206080" RO="0" FSTYPE="" MOUNTPOINT="" PKNAME="" MODEL="" TRAN="" PTTYPE="{table}" UUID="" PARTUUID="" PARTTYPE="" LABEL=""
            NAME="mmcblk1p1" TYPE="part" SIZE="67108864" RO="0" FSTYPE="vfat" MOUNTPOINT="/boot/efi" PKNAME="mmcblk1" MODEL="" TRAN="" PTTYPE="{table}" UUID="287D-995E" PARTUUID="8a4f1a2e-01" PARTTYPE="{(
                table == "gpt" ? "c12a7328-f81f-11d2-ba4b-00a0c93ec93b" : "0xef"
            )}" LABEL="BOOT"
            NAME="mmcblk1p2" TYPE="part" SIZE="7879000000" RO="0" FSTYPE="{type}" MOUNTPOINT="/" PKNAME="mmcblk1" MODEL="" TRAN="" PTTYPE="{table}" UUID="9cd30b84-6a18-471e-a690-78139022658e" PARTUUID="8a4f1a2e-02" PARTTYPE="{(
                table == "gpt" ? "0fc63daf-8483-4772-8e79-3d69d8477de4" : "0x83"
            )}" LABEL="rootfs"
            [   41.220011] a line of the kernel in between
            NAME="mmcblk0" TYPE="disk" SIZE="15636000000" RO="0" FSTYPE="" MOUNTPOINT="" PKNAME="" MODEL="" TRAN="" PTTYPE="" UUID="" PARTUUID="" PARTTYPE="" LABEL=""
            NAME="mmcblk0boot0" TYPE="disk" SIZE="4194304" RO="1" FSTYPE="" MOUNTPOINT="" PKNAME="" MODEL="" TRAN="" PTTYPE="" UUID="" PARTUUID="" PARTTYPE="" LABEL=""
            NAME="nvme0n1" TYPE="disk" SIZE="128035676160" RO="0" FSTYPE="" MOUNTPOINT="" PKNAME="" MODEL="ORCHARD DRIVE" TRAN="nvme" PTTYPE="gpt" UUID="" PARTUUID="" PARTTYPE="" LABEL=""
            NAME="sda" TYPE="disk" SIZE="32000000000" RO="0" FSTYPE="" MOUNTPOINT="" PKNAME="" MODEL="STICK" TRAN="usb" PTTYPE="dos" UUID="" PARTUUID="" PARTTYPE="" LABEL=""
            NAME="sda1" TYPE="part" SIZE="31000000000" RO="0" FSTYPE="ext4" MOUNTPOINT="/srv" PKNAME="sda" MODEL="" TRAN="" PTTYPE="dos" UUID="aa" PARTUUID="bb-01" PARTTYPE="0x83" LABEL=""
            start: mmcblk1p1 2048
            start: mmcblk1p2 133120
            look: root={root} type={type} options=rw,relatime used=1240109465
            fstab: # /dev/mmcblk1p2 / was on this card
            fstab: UUID=9cd30b84-6a18-471e-a690-78139022658e	/	ext4	defaults 0 1
            fstab: /dev/mmcblk1p1 /boot/efi vfat umask=0077 0 1
            fstab: tmpfs /tmp tmpfs defaults 0 0
            cmdline: BOOT_IMAGE=/boot/vmlinuz root=UUID=9cd30b84-6a18-471e-a690-78139022658e ro console=ttyS0,115200
            file: /boot/extlinux/extlinux.conf
            tool: sfdisk
            tool: wipefs
            tool: mkfs.ext4
            tool: mkfs.btrfs
            tool: mkfs.vfat
            {more}
            look: end
            """;

    private static MoveSight Sight(string look, string? device = null, string behind = "")
    {
        var log = new ConsoleLog();
        log.Append(Encoding.UTF8.GetBytes("orchard login: root\n" + look + "\n" + behind), 0);
        return new(DiskLook.In(log), device, "seed", Knowledge.Commands, log);
    }

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
        var plan = MovePlan.For(MoveTarget.Ssd, Bench.Board("quill-v"), model, null, Bench.Catalogue, Nothing);
        Assert.Null(plan.Possible);
        Assert.Contains("What sockets this board has is not known.", plan.Says);
        Assert.Contains(plan.Says, s => s.StartsWith("What its ROM can start from is not known", StringComparison.Ordinal));
    }

    [Fact]
    public void Nothing_is_erased_before_the_running_system_told_its_disks_and_one_was_confirmed()
    {
        foreach (var sight in new[] { Nothing, Sight(Look()) })
        {
            var plan = Plan("quill-v", MoveTarget.Ssd, sight);
            Assert.Equal(2, plan.Steps.Count);
            Assert.Contains("look: begin", plan.Steps[1].Command);
            Assert.DoesNotContain(plan.Steps, s => s.Command?.Contains("sfdisk -q", StringComparison.Ordinal) == true);
        }
        Assert.Equal(LoginTaskState.Proven, Plan("quill-v", MoveTarget.Ssd, Sight(Look())).Steps[1].State);
    }

    [Fact]
    public void The_card_is_the_disk_that_the_root_is_really_on_whatever_it_is_called()
    {
        // The card is mmcblk1 here: the flash is never copied over it.
        var flash = Plan("core-4", MoveTarget.Flash, Sight(Look()));
        Assert.Equal("/dev/mmcblk1", flash.Source);
        Assert.Equal([("/dev/mmcblk0", "16", null)], flash.Candidates.Select(c => (c.Device, c.Confirm, c.Refused)));
        var steps = Plan("core-4", MoveTarget.Flash, Sight(Look(), "/dev/mmcblk0")).Steps;
        Assert.All(
            steps.Where(s => s.Command is not null),
            s => Assert.DoesNotMatch(@"(?:of=|sfdisk -q |mkfs\S* .*)/dev/mmcblk1", s.Command!)
        );
        Assert.Contains(steps, s => s.Caution?.Contains("erases /dev/mmcblk0", StringComparison.Ordinal) == true);
        // What is mounted is refused.
        Assert.Contains("in use", Assert.Single(Plan("quill-v", MoveTarget.Usb, Sight(Look())).Candidates).Refused);
    }

    [Fact]
    public void A_copy_has_identifiers_of_its_own_and_every_edit_is_named()
    {
        var steps = Plan("quill-v", MoveTarget.Ssd, Sight(Look(), "/dev/nvme0n1")).Steps;
        string Of(string begin) => steps.Single(s => s.Text.StartsWith(begin, StringComparison.Ordinal)).Command!;
        var table = Of("Write a new partition table (GPT) onto /dev/nvme0n1, 128.0 GB, ORCHARD DRIVE");
        Assert.Matches(
            @"label: gpt\\nlabel-id: [0-9a-f-]{36}\\nstart=2048,size=131072,type=c12a7328-\S+,uuid=[0-9a-f-]{36}\\nstart=133120,type=0fc63daf-\S+,uuid=[0-9a-f-]{36}\\n",
            table
        );
        Assert.Contains("= 128035676160 ] && [ \"$(findmnt -no SOURCE /)\" = \"/dev/mmcblk1p2\" ]", table);
        Assert.Contains("refused: the disks are not those that were confirmed", table);
        var edits = steps.Single(s => s.Text.StartsWith("Let the copy name", StringComparison.Ordinal));
        Assert.Matches(
            @"UUID=9cd30b84-6a18-471e-a690-78139022658e becomes UUID=[0-9a-f-]{36} \(/\), /dev/mmcblk1p1 becomes UUID=[0-9A-F]{4}-[0-9A-F]{4} \(/boot/efi\); in /boot/extlinux/extlinux\.conf 9cd30b84",
            edits.Text
        );
        Assert.DoesNotContain("tmpfs", edits.Command!);
        // The same move has the same identifiers each time it is shown.
        Assert.Equal(
            steps.Select(s => s.Command),
            Plan("quill-v", MoveTarget.Ssd, Sight(Look(), "/dev/nvme0n1")).Steps.Select(s => s.Command)
        );
        Assert.Contains(steps, s => s.Text.StartsWith("Take the card out", StringComparison.Ordinal));
    }

    [Fact]
    public async Task The_mount_table_is_changed_by_its_fields_and_comments_and_tabs_stay()
    {
        var root = Directory.CreateTempSubdirectory("buttonhook-fstab-").FullName;
        try
        {
            Directory.CreateDirectory(Path.Combine(root, "etc"));
            var steps = Plan(
                "quill-v",
                MoveTarget.Ssd,
                Sight(Look().Replace("file: /boot/extlinux/extlinux.conf\n", "", StringComparison.Ordinal), "/dev/nvme0n1")
            ).Steps;
            var fstab =
                string.Join(
                    '\n',
                    Look()
                        .Split('\n')
                        .Select(l => l.Trim())
                        .Where(l => l.StartsWith("fstab: ", StringComparison.Ordinal))
                        .Select(l => l[7..])
                ) + "\n";
            File.WriteAllText(Path.Combine(root, "etc/fstab"), fstab);
            var command = steps.Single(s => s.Text.StartsWith("Let the copy name", StringComparison.Ordinal)).Command!;
            using var run = System.Diagnostics.Process.Start(
                new System.Diagnostics.ProcessStartInfo(
                    "sh",
                    ["-c", command.Replace("sudo ", "", StringComparison.Ordinal).Replace("/run/copy", root, StringComparison.Ordinal)]
                )
                {
                    RedirectStandardOutput = true,
                    RedirectStandardError = true,
                }
            )!;
            var said =
                await run.StandardOutput.ReadToEndAsync(TestContext.Current.CancellationToken)
                + await run.StandardError.ReadToEndAsync(TestContext.Current.CancellationToken);
            Assert.Contains("the copy names its own file systems", said);
            var lines = File.ReadAllLines(Path.Combine(root, "etc/fstab"));
            Assert.Equal("# /dev/mmcblk1p2 / was on this card", lines[0]);
            Assert.Matches("^UUID=[0-9a-f-]{36}\t/\text4\tdefaults 0 1$", lines[1]);
            Assert.Matches("^UUID=[0-9A-F]{4}-[0-9A-F]{4} /boot/efi vfat umask=0077 0 1$", lines[2]);
            Assert.Equal("tmpfs /tmp tmpfs defaults 0 0", lines[3]);
            Assert.DoesNotContain("9cd30b84", lines[1]);
        }
        finally
        {
            Directory.Delete(root, true);
        }
    }

    [Theory]
    [InlineData("tool: grub-for-bios", "", "", "GRUB for a BIOS")]
    [InlineData("file: /etc/crypttab", "", "", "/etc/crypttab names its disk")]
    [InlineData("file: /boot/grub/grub.cfg", "", "", "They are not all there")]
    [InlineData("", "tool: mkfs.vfat", "tool: none", "no mkfs.vfat")]
    [InlineData("", "/dev/mmcblk1p2 type=ext4", "/dev/mmcblk1p2 type=xfs", "It is xfs")]
    [InlineData("", "/dev/mmcblk1p2 type=ext4 options=rw", "/dev/mmcblk1p2 type=btrfs options=rw,subvol=/@", "mounted with rw,subvol=/@")]
    [InlineData("", "look: root=/dev/mmcblk1p2", "look: root=overlay", "mounted from overlay")]
    public void What_cannot_be_copied_safely_is_said_and_not_offered(string more, string old, string other, string says)
    {
        var look = Look(more: more);
        var plan = Plan(
            "quill-v",
            MoveTarget.Ssd,
            Sight(old.Length > 0 ? look.Replace(old, other, StringComparison.Ordinal) : look, "/dev/nvme0n1")
        );
        Assert.DoesNotContain(plan.Steps, s => s.Command?.Contains("sfdisk -q", StringComparison.Ordinal) == true);
        if (!other.Contains("overlay", StringComparison.Ordinal))
            Assert.Contains(plan.Steps, s => s.Text.Contains(says, StringComparison.Ordinal));
    }

    [Fact]
    public void Only_the_root_moves_where_the_rom_cannot_start_and_the_edit_on_the_card_is_named()
    {
        var look = Look().Replace("MOUNTPOINT=\"/srv\"", "MOUNTPOINT=\"\"", StringComparison.Ordinal);
        var steps = Plan("quill-v", MoveTarget.Usb, Sight(look, "/dev/sda")).Steps;
        Assert.Contains(
            steps,
            s =>
                s.Command?.Contains("mkfs.ext4 -q -F -U", StringComparison.Ordinal) == true
                && s.Command.Contains(" /dev/sda1", StringComparison.Ordinal)
        );
        Assert.DoesNotContain(steps, s => s.Command?.Contains("mkfs.vfat -i", StringComparison.Ordinal) == true);
        // The card's own loader is told by an edit of the files that were seen to name the root, each kept as it was.
        var point = Assert.Single(
            steps,
            s => s.Text.StartsWith("On the card, let its loader start the copy: in /boot/extlinux/extlinux.conf", StringComparison.Ordinal)
        );
        Assert.Contains("cp $f $f.before", point.Command, StringComparison.Ordinal);
        Assert.Contains("root=UUID=9cd30b84-6a18-471e-a690-78139022658e", point.Command, StringComparison.Ordinal);
        var unseen = look.Replace("file: /boot/extlinux/extlinux.conf", "", StringComparison.Ordinal);
        Assert.Contains(
            Plan("quill-v", MoveTarget.Usb, Sight(unseen, "/dev/sda")).Steps,
            s => s.Text.StartsWith("On the card, in the file that holds its command line, root=UUID=9cd30b84", StringComparison.Ordinal)
        );
        // What was chosen for one medium is not chosen for another.
        Assert.Null((Sight(look, "/dev/sda") with { Target = MoveTarget.Usb }).For(MoveTarget.Ssd).Device);
        Assert.Contains(steps, s => s.Text.StartsWith("Leave the card in", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("root@orchard:~# ", "sh -c ")]
    [InlineData("/ # ", "sh -c ")]
    [InlineData("keeper@orchard:~$ ", "sudo sh -c ")]
    [InlineData("root@orchard:~# su keeper\nkeeper@orchard:/root$ ", "sudo sh -c ")]
    public void Roots_own_session_needs_no_sudo(string prompt, string begins) =>
        Assert.All(
            Plan("quill-v", MoveTarget.Ssd, Sight(Look(), "/dev/nvme0n1", prompt)).Steps.Where(s => s.Command is not null),
            s => Assert.StartsWith(begins, s.Command)
        );

    [Fact]
    public void Steps_are_ticked_by_what_the_console_shows_behind_the_look()
    {
        var sight = Sight(Look(), "/dev/nvme0n1", "the table of /dev/nvme0n1 is written\nmkfs.ext4: no space\n");
        var steps = Plan("quill-v", MoveTarget.Ssd, sight).Steps.Where(s => s.Command is not null).ToList();
        Assert.Equal(LoginTaskState.Proven, steps[1].State);
        Assert.Equal((LoginTaskState.Failed, "mkfs.ext4: no space"), (steps[3].State, steps[3].Tells));
        Assert.Equal(LoginTaskState.Open, steps[4].State);
    }

    [Property]
    public bool No_answer_of_a_system_throws(string? text) =>
        Plan(
            "quill-v",
            MoveTarget.Ssd,
            Sight(
                $"look: begin\nNAME=\"{text}\" SIZE=\"{text}\"\nlook: root=/dev/a type=ext4 options=rw used=1\nfstab: {text}\nlook: end",
                "/dev/a"
            )
        ).Steps.Count > 0;

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
