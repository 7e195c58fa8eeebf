using System.Text;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Core.Preparing;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Preparing;

public sealed class CardLayoutTests
{
    private static readonly DryBoard Board = new(InstructionSet.Arm64, "distro", "sd", "ttyAMA0", 115200, 512, [], "");
    private static readonly Lazy<byte[]> Root = new(() => ImageMaker.Ext(ImageMaker.RootFiles()));

    private static byte[] Image(Action<Dictionary<string, byte[]>>? boot = null)
    {
        var files = ImageMaker.BootFiles();
        boot?.Invoke(files);
        return ImageMaker.Disk(ImageMaker.Fat(files), Root.Value);
    }

    private static Answer<StartFiles> Start(byte[] image, DryBoard? board = null) =>
        StartFiles.Of("Fallow", ImageBytes.Of(image), board ?? Board, ImageMaker.Unpack);

    private static SystemToLay System(byte[] image, string title = "Fallow 12") => new("fallow", title, Start(image).Value!);

    private sealed class Blank(long length) : ImageBytes
    {
        public override long Length => length;

        public override int Read(long offset, Span<byte> into)
        {
            var count = (int)Math.Clamp(length - offset, 0, into.Length);
            into[..count].Clear();
            return count;
        }
    }

    /// <summary>Lays it out in memory; the mount tables stay as they are, for they name no device that moved.</summary>
    private static (WritableBytes Card, WritableBytes Roots) Lay(CardLayout layout, byte[][] images, long drive = 0)
    {
        var card = WritableBytes.Over(new Blank(layout.Roots.Max(r => r.EndBytes) + layout.Boot.EndBytes + (1 << 20)));
        var roots = drive == 0 ? card : WritableBytes.Over(new Blank(drive));
        card.Write(0, layout.Table());
        if (layout.DriveTable() is { } table)
            roots.Write(0, table);
        var boot = card.Part(layout.Boot.StartBytes, layout.Boot.LengthBytes);
        FatFormat.Make(boot, layout.BootLabel, layout.DiskId, (uint)(layout.Boot.StartBytes / 512));
        var fat = new FatWriter(boot, new(2026, 11, 27));
        foreach (var file in layout.BootFiles())
            fat.Write(file.Name, file.Bytes);
        for (var n = 0; n < layout.Roots.Count; n++)
        {
            var from = layout.Systems[n].Start.Root;
            roots.Write(layout.Roots[n].StartBytes, images[n].AsSpan((int)from.StartBytes, (int)from.LengthBytes));
        }
        return (card, roots);
    }

    [Fact]
    public void Each_entry_of_a_menu_boots_from_its_own_root_and_with_its_own_words()
    {
        byte[][] images =
        [
            Image(),
            Image(f =>
                f["/extlinux/extlinux.conf"] = Encoding.ASCII.GetBytes(
                    ImageMaker.Menu("root=/dev/mmcblk0p2 ro rootwait quiet console=ttyAMA0,115200 loglevel=3")
                )
            ),
        ];
        var layout = CardLayout.Menu([System(images[0]), System(images[1], "Tallow \"4\"\n{x}")], 2L << 30, 0xC0FFEE01).Value!;
        var menu = Encoding.UTF8.GetString(layout.BootFiles().Single(f => f.Name == "/extlinux/extlinux.conf").Bytes);
        Assert.Contains("menu label Tallow 4 x\n", menu);
        Assert.Contains("append root=PARTUUID=c0ffee01-03 rootwait ro quiet console=ttyAMA0,115200 loglevel=3\n", menu);
        Assert.DoesNotContain("mmcblk", menu);
        var (card, _) = Lay(layout, images);
        var first = DryBoot.Play(card, Board with { Entry = 1 }, ImageMaker.Unpack);
        Assert.Equal(DryVerdict.Boots, first.Verdict);
        Assert.Contains(first.Steps, s => s.Text.Contains("is partition 2"));
        var second = DryBoot.Play(card, Board with { Entry = 2 }, ImageMaker.Unpack);
        Assert.Contains(second.Steps, s => s.Text.Contains("is partition 3"));
        // An entry that is taken stands by itself: the loader goes on to no other one.
        var damaged = layout.BootFiles().Single(f => f.Name == "/system-2/Image");
        new FatWriter(card.Part(layout.Boot.StartBytes, layout.Boot.LengthBytes), DateTime.Now).Delete(damaged.Name);
        Assert.Equal(DryVerdict.DoesNotBoot, DryBoot.Play(card, Board with { Entry = 2 }, ImageMaker.Unpack).Verdict);
        Assert.Equal(DryVerdict.Boots, DryBoot.Play(card, Board, ImageMaker.Unpack).Verdict);
    }

    [Fact]
    public void A_root_on_a_drive_is_found_there_and_not_without_it()
    {
        var image = Image();
        var layout = CardLayout.LoaderOnCard(System(image), 1L << 30, 64 << 20, 1, 2).Value!;
        Assert.Equal("00000002-01", layout.Roots[0].PartUuid);
        var (card, drive) = Lay(layout, [image], 64 << 20);
        var dry = DryBoot.Play(card, Board, ImageMaker.Unpack, new(drive, "usb"));
        Assert.Equal(DryVerdict.Boots, dry.Verdict);
        Assert.Contains(dry.Steps, s => s.File?.StartsWith("usb p1:", StringComparison.Ordinal) == true);
        Assert.Contains("root-not-found", DryBoot.Play(card, Board, ImageMaker.Unpack).Causes);
        // Nothing in these initial files drives an SSD.
        Assert.Contains("root-not-found", DryBoot.Play(card, Board, ImageMaker.Unpack, new(drive, "ssd")).Causes);
    }

    [Fact]
    public void What_lay_beside_the_first_system_comes_along_and_its_old_menu_does_not()
    {
        var first = Image(f =>
        {
            f["/loader.bin"] = [1, 2, 3];
            f["/user-data"] = "#cloud-config\n"u8.ToArray();
        });
        var layout = CardLayout.Menu([System(first), System(Image())], 2L << 30, 7).Value!;
        var names = layout.BootFiles().Select(f => f.Name).ToList();
        Assert.Contains("/loader.bin", names);
        Assert.Contains("/user-data", names);
        Assert.Single(names, n => n.EndsWith("extlinux.conf", StringComparison.Ordinal));
        Assert.DoesNotContain("/Image", names);
        Assert.Equal((512, 1 << 20), layout.LoaderArea);
    }

    [Fact]
    public void What_cannot_be_laid_out_says_why()
    {
        var system = System(Image());
        Assert.Contains("1 is chosen", CardLayout.Menu([system], 1L << 40, 1).Problem!.Came);
        Assert.Contains("4 are chosen", CardLayout.Menu([system, system, system, system], 1L << 40, 1).Problem!.Came);
        Assert.Contains("the card holds 16 MiB", CardLayout.Menu([system, system], 16 << 20, 1).Problem!.Came);
        Assert.Contains("the drive holds 2 MiB", CardLayout.LoaderOnCard(system, 1L << 30, 2 << 20, 1, 2).Problem!.Came);
        Assert.Contains("The kernel", Start(Image(f => f.Remove("/Image"))).Problem!.Came);
        var fixedPlace = new SystemToLay("fallow", "Fallow 12", Start(Keyvalue(), FixedPlace).Value!);
        Assert.Contains("has none", CardLayout.Menu([fixedPlace, fixedPlace], 1L << 40, 1).Problem!.Came);
        Assert.Contains("numbers of sectors", Start(Image(), Board with { Loader = "bios" }).Problem!.Came);
    }

    private static readonly DryBoard FixedPlace = Board with { Loader = "keyvalue" };

    private static byte[] Keyvalue() =>
        Image(f =>
        {
            f.Remove("/extlinux/extlinux.conf");
            f["/kernels/v8.img"] = f["/Image"];
            f.Remove("/Image");
            f["/board.dtb"] = new TreeMaker().Text("/", "compatible", "orchard,pomona-3").Blob();
            f["/config.txt"] = "kernel=kernels/v8.img\ninitramfs initrd.img followkernel\ndevice_tree=board.dtb\n"u8.ToArray();
            f["/cmdline.txt"] = Encoding.ASCII.GetBytes($"{ImageMaker.GoodAppend}\nwhat stands below\n");
        });

    [Fact]
    public void Where_a_loader_has_no_menu_its_files_stay_at_their_places_and_its_command_line_names_the_drive()
    {
        var image = Keyvalue();
        Assert.Equal(DryVerdict.Boots, DryBoot.Play(ImageBytes.Of(image), FixedPlace, ImageMaker.Unpack).Verdict);
        var system = new SystemToLay("fallow", "Fallow 12", Start(image, FixedPlace).Value!);
        var layout = CardLayout.LoaderOnCard(system, 1L << 30, 64 << 20, 1, 2).Value!;
        var files = layout.BootFiles().ToDictionary(f => f.Name, f => f.Bytes);
        Assert.Contains("/kernels/v8.img", files.Keys);
        Assert.DoesNotContain(files.Keys, n => n.Contains("extlinux") || n.Contains("system-1"));
        var text = Encoding.ASCII.GetString(files["/cmdline.txt"]);
        Assert.StartsWith("root=PARTUUID=00000002-01 rootwait ", text);
        Assert.DoesNotContain("root=/dev", text);
        Assert.EndsWith("\nwhat stands below\n", text);
        var (card, drive) = Lay(layout, [image], 64 << 20);
        var dry = DryBoot.Play(card, FixedPlace, ImageMaker.Unpack, new(drive, "usb"));
        Assert.Equal(DryVerdict.Boots, dry.Verdict);
        Assert.Contains(dry.Steps, s => s.File?.StartsWith("usb p1:", StringComparison.Ordinal) == true);
        Assert.Contains("root-not-found", DryBoot.Play(card, FixedPlace, ImageMaker.Unpack).Causes);
        // A kernel that an update installs comes to where it is started from.
        Assert.Equal(
            "PARTUUID=00000002-01 / ext4 defaults 0 1\nPARTUUID=00000001-01 /boot/firmware vfat defaults 0 2\n",
            layout.MountTable(0, "UUID=11 / ext4 defaults 0 1\nUUID=AB-CD /boot/firmware vfat defaults 0 2\n")
        );
    }

    [Fact]
    public void A_mount_table_names_the_new_root_and_keeps_what_is_gone_as_a_comment()
    {
        var layout = CardLayout.Menu([System(Image()), System(Image())], 2L << 30, 0xA).Value!;
        Assert.Equal(
            "# of the orchard\nPARTUUID=0000000a-03\t/ ext4 defaults 0 1\n# not on this card: UUID=1234-ABCD /boot vfat ro 0 2\n"
                + "# not on this card: /dev/mmcblk0p3 none swap sw 0 0\ntmpfs /tmp tmpfs size=16m 0 0\nhall:/pears /mnt nfs ro 0 0\n",
            layout.MountTable(
                1,
                "# of the orchard\n/dev/mmcblk0p2\t/ ext4 defaults 0 1\nUUID=1234-ABCD /boot vfat ro 0 2\n"
                    + "/dev/mmcblk0p3 none swap sw 0 0\ntmpfs /tmp tmpfs size=16m 0 0\nhall:/pears /mnt nfs ro 0 0\n"
            )
        );
    }

    [Property(MaxTest = 200)]
    public Property Partitions_lie_on_the_card_one_behind_the_other_with_room_for_each_root() =>
        Prop.ForAll(
            (
                from systems in Gen.Elements(2, 3)
                from sizes in Gen.Choose(1, 9000).ListOf(3)
                from at in Gen.Choose(0, 64)
                from gb in Gen.Elements(4, 8, 16, 64, 512)
                from id in Gen.Choose(1, int.MaxValue)
                select (systems, sizes, at, gb, (uint)id)
            ).ToArbitrary(),
            any =>
            {
                var (count, sizes, at, gb, id) = any;
                var start = Start(Any.Value).Value!;
                var systems = Enumerable
                    .Range(0, count)
                    .Select(n => new SystemToLay(
                        "x",
                        "X",
                        start with
                        {
                            Root = start.Root with { LengthBytes = sizes[n] * 1_000_448L },
                            FirstPartitionAt = at * 700L * 512,
                        }
                    ))
                    .ToList();
                var card = Sizes.CardBytes(gb);
                if (CardLayout.Menu(systems, card, id).Value is not { } layout)
                    return systems.Sum(s => s.Start.Root.LengthBytes) + (300L << 20) > card;
                var parts = layout.Roots.Prepend(layout.Boot).ToList();
                var read = PartitionTable.Read(ImageBytes.Of(layout.Table())).Partitions;
                return parts.Zip(parts.Skip(1)).All(p => p.First.EndBytes <= p.Second.StartBytes)
                    && parts[^1].EndBytes <= card
                    && parts.All(p => p.StartBytes % (1 << 20) == 0)
                    && layout.Roots.Zip(systems).All(p => p.First.LengthBytes >= p.Second.Start.Root.LengthBytes)
                    && layout.LoaderArea.To <= layout.Boot.StartBytes
                    && (read.Count == 0 || read.SequenceEqual(parts));
            }
        );

    private static readonly Lazy<byte[]> Any = new(() => Image());

    [Property(MaxTest = 300)]
    public bool Bytes_over_others_read_as_if_they_had_been_written_there(
        byte[] under,
        (ushort At, byte[] What)[] writes,
        ushort at,
        ushort count
    )
    {
        if (under.Length == 0)
            return true;
        var whole = Enumerable.Repeat(under, 9000 / under.Length + 1).SelectMany(b => b).ToArray();
        var kept = whole.ToArray();
        var over = WritableBytes.Over(ImageBytes.Of(whole));
        var real = kept.ToArray();
        foreach (var (where, what) in writes)
        {
            var to = where % real.Length;
            var part = what.AsSpan(0, Math.Min(what.Length, real.Length - to));
            over.Write(to, part);
            part.CopyTo(real.AsSpan(to));
        }
        var from = at % real.Length;
        var expected = real.AsSpan(from, Math.Min(count, real.Length - from));
        var into = new byte[count];
        var got = over.Read(from, into);
        return got == expected.Length && into.AsSpan(0, got).SequenceEqual(expected) && whole.SequenceEqual(kept);
    }
}
