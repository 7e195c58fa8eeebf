using System.Text;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Tests.Images;

/// <summary>What an EFI program is, is told from itself; and what follows from it: unified kernels, menus of entries, GRUB with its own prefix.</summary>
public class EfiWayTests
{
    private const InstructionSet Arm64 = InstructionSet.Arm64;
    private const string Removable = "/EFI/BOOT/BOOTAA64.EFI";
    private static readonly string Arguments = ImageMaker.GoodAppend;
    private static readonly byte[] Kernel = ImageMaker.Arm64Kernel();
    private static readonly byte[] Initial = ImageMaker.BootFiles()["/initrd.img"];

    private static byte[] Text(string text) => Encoding.UTF8.GetBytes(text);

    private static DryBoot Boot(Dictionary<string, byte[]> boot, Dictionary<string, byte[]>? root = null)
    {
        var disk = ImageMaker.Disk(ImageMaker.Fat(boot), ImageMaker.Ext(root ?? ImageMaker.RootFiles()));
        return DryBoot.Play(ImageBytes.Of(disk), new(Arm64, "efi", "sd", "ttyAMA0", 115200, 512, [], ""), ImageMaker.Unpack);
    }

    private static byte[] Unified(
        string? commandLine = null,
        byte[]? kernel = null,
        InstructionSet set = Arm64,
        params (string, byte[])[] more
    ) => EfiMaker.Unified(set, kernel ?? Kernel, Initial, commandLine ?? Arguments, more);

    private static void Breaks(string cause, DryBoot dry) => Assert.Equal((DryVerdict.DoesNotBoot, cause), (dry.Verdict, dry.Causes[0]));

    private static void Starts(DryBoot dry) =>
        Assert.True(
            dry is { Verdict: DryVerdict.Boots, Broken.Count: 0 },
            string.Join("\n", dry.Steps.Select(s => $"{s.Result} {s.Text}"))
        );

    [Fact]
    public void Programs_are_told_apart_by_what_is_in_them()
    {
        EfiKind Of(byte[] file) => EfiProgram.Read(file)!.Kind;
        Assert.Equal(EfiKind.Grub, Of(EfiMaker.Grub()));
        Assert.Equal(EfiKind.EntryMenu, Of(EfiMaker.EntryMenu()));
        Assert.Equal(EfiKind.EntryMenu, Of(EfiMaker.LaterEntryMenu()));
        Assert.Equal(EfiKind.UnifiedKernel, Of(Unified()));
        Assert.Equal(EfiKind.Shim, Of(EfiMaker.Program(Arm64, (".sbat", [1]), (".vendor_cert"[..8], [1]))));
        Assert.Equal(EfiKind.Unknown, Of(EfiMaker.Program(Arm64, (".text", [1]))));
        Assert.Null(EfiProgram.Read(Text("MZ and no more")));
        Assert.Equal("/EFI/fallow", EfiProgram.Read(EfiMaker.Grub(prefix: "/EFI/fallow"))!.GrubPrefix);
        foreach (var set in Enum.GetValues<InstructionSet>())
            Assert.Equal(set, EfiProgram.Read(EfiMaker.Grub(set))!.Architecture);
    }

    [Fact]
    public void A_unified_kernel_starts_by_itself_and_each_of_its_parts_is_judged()
    {
        Starts(Boot(new() { [Removable] = Unified() }));
        Breaks("root-arg-missing", Boot(new() { [Removable] = Unified("rootwait console=ttyAMA0") }));
        Breaks("kernel-wrong-architecture", Boot(new() { [Removable] = Unified(set: InstructionSet.Amd64) }));
        Breaks("kernel-corrupt", Boot(new() { [Removable] = Unified()[..^1024] }));
        Breaks("kernel-corrupt", Boot(new() { [Removable] = Unified(kernel: Text("no kernel").Concat(new byte[600]).ToArray()) }));
        Breaks("boot-files-missing", Boot(new() { [Removable] = EfiMaker.Program(Arm64, (".osrel", [1]), (".initrd", Initial)) }));
        Breaks("dtb-invalid", Boot(new() { [Removable] = Unified(more: (".dtb", Text("no tree"))) }));
    }

    [Fact]
    public void Of_several_profiles_the_first_is_started()
    {
        const string wrong = "root=LABEL=nowhere rootwait console=ttyAMA0,115200";
        (string, byte[])[] Profiles(string first, string second) =>
            [(".profile", Text("ID=usual")), (".cmdline", Text(first)), (".profile", Text("ID=repair")), (".cmdline", Text(second))];
        // Its own sections take the place of those that hold for all.
        Starts(Boot(new() { [Removable] = Unified(wrong, more: Profiles(Arguments, wrong)) }));
        Breaks("root-not-found", Boot(new() { [Removable] = Unified(Arguments, more: Profiles(wrong, Arguments)) }));
        // A stub that is older than profiles takes the first of each name.
        (string, byte[]) old = (".sdmagic", Text("#### LoaderInfo: fallow-stub 252.39-1 ####"));
        Breaks("root-not-found", Boot(new() { [Removable] = Unified(wrong, more: [old, .. Profiles(Arguments, wrong)]) }));
    }

    [Fact]
    public void An_addon_beside_a_unified_kernel_adds_to_its_command_line()
    {
        var half = Arguments.Replace("rootwait", "").Replace("  ", " ");
        Breaks("root-not-found", Boot(new() { [Removable] = Unified(half) }));
        var addon = EfiMaker.Program(Arm64, (".cmdline", Text("rootwait")));
        Starts(Boot(new() { [Removable] = Unified(half), [Removable + ".extra.d/wait.addon.efi"] = addon }));
        // A stub that is older than addons takes none.
        var old = Unified(half, more: (".sdmagic", Text("#### LoaderInfo: fallow-stub 252.39-1 ####")));
        Breaks("root-not-found", Boot(new() { [Removable] = old, [Removable + ".extra.d/wait.addon.efi"] = addon }));
        // One for another processor is not taken.
        var other = EfiMaker.Program(InstructionSet.Amd64, (".cmdline", Text("rootwait")));
        Breaks("root-not-found", Boot(new() { [Removable] = Unified(half), ["/loader/addons/wait.addon.efi"] = other }));
    }

    [Fact]
    public void A_program_for_another_processor_or_one_that_is_cut_off_is_not_started()
    {
        Breaks("no-boot-medium", Boot(new() { [Removable] = EfiMaker.Grub(InstructionSet.Amd64) }));
        Breaks("no-boot-medium", Boot(new() { [Removable] = EfiMaker.Grub()[..^600] }));
        Breaks("no-boot-medium", Boot(new() { [Removable] = Text("<html>") }));
    }

    [Fact]
    public void A_program_that_nothing_is_known_of_cannot_be_judged()
    {
        var dry = Boot(new() { [Removable] = EfiMaker.Program(Arm64, (".text", new byte[100])) });
        Assert.Equal(DryVerdict.CannotTell, dry.Verdict);
        Assert.Contains(dry.Steps, s => s.Text.StartsWith("What the EFI program does cannot be told", StringComparison.Ordinal));
    }

    [Fact]
    public void Grub_reads_its_configuration_where_its_prefix_says()
    {
        var config = $"set timeout=5\nmenuentry \"Fallow\" {{\n linux /Image {Arguments}\n initrd /initrd.img\n}}\n";
        var files = ImageMaker.BootFiles();
        files.Remove("/extlinux/extlinux.conf");
        files[Removable] = EfiMaker.Grub(prefix: "/EFI/orchard");
        files["/EFI/aaa/grub.cfg"] = Text("echo nothing\n");
        files["/EFI/orchard/grub.cfg"] = Text(config);
        Starts(Boot(files));
        // Without a timeout the menu waits for a key; the edit ends that.
        var waiting = config.Replace("set timeout=5\n", "");
        files["/EFI/orchard/grub.cfg"] = Text(waiting);
        var dry = Boot(files);
        Breaks("autoboot-interrupted", dry);
        files["/EFI/orchard/grub.cfg"] = Text(dry.Broken[0].Edit!.Apply(waiting)!);
        Starts(Boot(files));
    }

    [Fact]
    public void A_first_program_that_checks_signatures_starts_the_one_beside_it()
    {
        var shim = EfiMaker.Program(Arm64, (".text", [1]), (".vendor_", [1]));
        var files = ImageMaker.BootFiles();
        files.Remove("/extlinux/extlinux.conf");
        files[Removable] = shim;
        Breaks("second-loader-missing", Boot(files));
        files["/EFI/BOOT/grubaa64.efi"] = EfiMaker.Grub();
        files["/boot/grub/grub.cfg"] = Text($"linux /Image {Arguments}\ninitrd /initrd.img\n");
        Starts(Boot(files));
    }

    private static Dictionary<string, byte[]> Menu(params (string Name, string Entry)[] entries)
    {
        var files = ImageMaker.BootFiles();
        files.Remove("/extlinux/extlinux.conf");
        files[Removable] = EfiMaker.EntryMenu();
        foreach (var (name, entry) in entries)
            files[$"/loader/entries/{name}"] = Text(entry);
        return files;
    }

    private static string Entry(string kernel = "/Image", string? more = null, string? options = null) =>
        $"title Fallow\nlinux {kernel}\ninitrd /initrd.img\noptions {options ?? Arguments}\n{more}";

    [Fact]
    public void The_newest_version_stands_first_and_what_was_tried_in_vain_last()
    {
        const string broken = "root=LABEL=nowhere";
        Starts(Boot(Menu(("fallow-6.9.conf", Entry(options: broken)), ("fallow-6.10.conf", Entry()))));
        Starts(
            Boot(
                Menu(
                    ("a.conf", Entry(more: "sort-key fallow\nversion 6.10\n")),
                    ("b.conf", Entry(options: broken, more: "sort-key fallow\nversion 6.9\n"))
                )
            )
        );
        // With a sort key comes before without.
        Starts(Boot(Menu(("z.conf", Entry(options: broken)), ("a.conf", Entry(more: "sort-key fallow\n")))));
        // Tries used up: last, whatever its version.
        Starts(Boot(Menu(("fallow-6.10+0-3.conf", Entry(options: broken)), ("fallow-6.9.conf", Entry()))));
        Starts(Boot(Menu(("fallow-6.10+2-1.conf", Entry()), ("fallow-6.9.conf", Entry(options: broken)))));
    }

    [Fact]
    public void The_default_is_a_pattern_and_one_that_fits_nothing_is_told()
    {
        var files = Menu(("fallow-6.9.conf", Entry()), ("fallow-6.10.conf", Entry(options: "root=LABEL=nowhere")));
        files["/loader/loader.conf"] = Text("timeout 3\ndefault *-6.9*\n");
        Starts(Boot(files));
        files["/loader/loader.conf"] = Text("default rescue\n");
        var dry = Boot(files);
        Assert.Contains(dry.Steps, s => s.Text.Contains("The default rescue fits no entry", StringComparison.Ordinal));
        Breaks("root-not-found", dry);
        // What was chosen last is kept in the firmware, which nobody knows.
        files["/loader/loader.conf"] = Text("default @saved\n");
        Assert.DoesNotContain(Boot(files).Steps, s => s.Text.Contains("fits no entry", StringComparison.Ordinal));
    }

    [Fact]
    public void Entries_for_another_processor_or_without_their_kernel_are_hidden()
    {
        Starts(
            Boot(
                Menu(
                    ("b.conf", Entry(more: "architecture x64\n", options: "root=LABEL=nowhere")),
                    ("a.conf", Entry(more: "architecture AA64\n"))
                )
            )
        );
        Breaks("kernel-wrong-architecture", Boot(Menu(("b.conf", Entry(more: "architecture x64\n")))));
        var dry = Boot(Menu(("b.conf", Entry("/vmlinuz-gone")), ("a.conf", Entry())));
        Starts(dry);
        Assert.Contains(
            dry.Steps,
            s => s.Text.Contains("/vmlinuz-gone is not there, so the menu hides the entry", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void Unified_kernels_in_their_folder_are_entries_too()
    {
        var files = Menu();
        files["/EFI/Linux/fallow-6.10.efi"] = Unified();
        files["/EFI/Linux/other.efi"] = Unified("root=LABEL=nowhere", set: InstructionSet.Amd64);
        Starts(Boot(files));
        files.Remove("/EFI/Linux/fallow-6.10.efi");
        Breaks("kernel-wrong-architecture", Boot(files));
        Breaks("loader-config-missing", Boot(Menu()));
    }

    [Fact]
    public void Two_faults_are_told_at_once_each_with_its_edit_and_with_both_made_it_boots()
    {
        var boot = ImageMaker.BootFiles();
        var menu = Encoding.UTF8.GetString(boot["/extlinux/extlinux.conf"]);
        boot["/extlinux/extlinux.conf"] = Text(menu.Replace("/initrd.img", "/initrd-old.img").Replace("root=", "root=LABEL=nowhere was="));
        var root = ImageMaker.RootFiles();
        DryBoot Play(Dictionary<string, byte[]> files)
        {
            var disk = ImageMaker.Disk(ImageMaker.Fat(files), ImageMaker.Ext(root));
            return DryBoot.Play(ImageBytes.Of(disk), new(Arm64, "distro", "sd", "ttyAMA0", 115200, 512, [], ""), ImageMaker.Unpack);
        }
        var dry = Play(boot);
        Assert.Equal(DryVerdict.DoesNotBoot, dry.Verdict);
        Assert.Equal(["initrd-missing", "root-not-found"], dry.Causes);
        var text = Encoding.UTF8.GetString(boot["/extlinux/extlinux.conf"]);
        foreach (var edit in dry.Broken.Select(b => b.Edit))
        {
            Assert.Equal("/extlinux/extlinux.conf", edit!.Path);
            text = edit.Apply(text)!;
        }
        boot["/extlinux/extlinux.conf"] = Text(text);
        Starts(Play(boot));
    }

    [Theory]
    [InlineData("6.9", "6.10")]
    [InlineData("6.10~rc1", "6.10")]
    [InlineData("6.10", "6.10-1")]
    [InlineData("6.10-1", "6.10-2")]
    [InlineData("6.10.0", "6.10.1")]
    [InlineData("abc", "abd")]
    [InlineData("", "1")]
    [InlineData("fallow-6.9.conf", "fallow-6.10.conf")]
    [InlineData("1.0^post1", "1.0^post2")]
    [InlineData("09", "10")]
    public void Versions_are_ordered_as_boot_menus_order_them(string older, string newer)
    {
        Assert.True(Versions.Compare(older, newer) < 0);
        Assert.True(Versions.Compare(newer, older) > 0);
        Assert.Equal(0, Versions.Compare(older, older));
    }

    [Fact]
    public void The_order_of_versions_is_one_whatever_comes()
    {
        var random = new Random(28);
        string Any() => new([.. Enumerable.Range(0, random.Next(6)).Select(_ => "0129ab.~-^+ "[random.Next(12)])]);
        for (var round = 0; round < 20_000; round++)
        {
            var (a, b) = (Any(), Any());
            Assert.Equal(Math.Sign(Versions.Compare(a, b)), -Math.Sign(Versions.Compare(b, a)));
            Assert.Equal(0, Versions.Compare(a, a));
        }
    }

    [Fact]
    public void Whatever_comes_as_an_efi_program_is_read_or_is_none()
    {
        var random = new Random(29);
        var good = Unified();
        for (var round = 0; round < 3_000; round++)
        {
            var bytes = good[..Math.Min(good.Length, 4096)];
            for (var n = random.Next(1, 8); n > 0; n--)
                bytes[random.Next(0x300)] = (byte)random.Next(256);
            if (EfiProgram.Read(bytes) is { } program)
                _ = (program.GrubPrefix, program.Text(".cmdline"), program.Section(".linux"));
        }
    }
}
