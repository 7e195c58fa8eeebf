using System.IO.Hashing;
using System.Security.Cryptography;
using Buttonhook.Core.Images.Formats;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Images;

/// <summary>Kernels in the wrappings of U-Boot: FIT images and legacy images.</summary>
public class FitImageTests
{
    private static readonly byte[] Disk = ImageMaker.Cpio(("init", 0x81ED, ImageMaker.Elf(183)));
    private static readonly byte[] Tree = new TreeMaker().Text("/", "compatible", "orchard,pomona-3").Blob();

    private static KernelFile Identify(byte[] file) => KernelFile.Identify(file, ImageMaker.Unpack);

    private static TreeMaker Image(TreeMaker fit, string name, byte[] data, string algorithm, string compression = "none")
    {
        byte[] hash = algorithm switch
        {
            "crc32" => [.. Crc32.Hash(data).Reverse()],
            "md5" => MD5.HashData(data),
            "sha1" => SHA1.HashData(data),
            "sha256" => SHA256.HashData(data),
            "sha384" => SHA384.HashData(data),
            _ => SHA512.HashData(data),
        };
        return fit.Bytes($"/images/{name}", "data", data)
            .Text($"/images/{name}", "compression", compression)
            .Bytes($"/images/{name}/hash-1", "value", hash)
            .Text($"/images/{name}/hash-1", "algo", algorithm);
    }

    private static byte[] Fit(string algorithm = "sha256", byte[]? kernel = null, string compression = "none")
    {
        var fit = new TreeMaker().Text("/configurations", "default", "conf-2");
        Image(fit, "kernel-1", kernel ?? ImageMaker.Arm64Kernel(), algorithm, compression);
        Image(fit, "disk-1", Disk, algorithm);
        Image(fit, "fdt-1", Tree, algorithm);
        return fit.Text("/configurations/conf-1", "kernel", "nothing")
            .Text("/configurations/conf-2", "kernel", "kernel-1")
            .Text("/configurations/conf-2", "ramdisk", "disk-1")
            .Text("/configurations/conf-2", "fdt", "fdt-1")
            .Blob();
    }

    [Theory]
    [InlineData("crc32")]
    [InlineData("md5")]
    [InlineData("sha1")]
    [InlineData("sha256")]
    [InlineData("sha384")]
    [InlineData("sha512")]
    public void A_fit_image_gives_kernel_initial_files_and_tree_and_each_checksum_is_looked_at(string algorithm)
    {
        var fit = Fit(algorithm);
        var kernel = Identify(fit);
        Assert.Equal(("FIT", InstructionSet.Arm64, "6.6.30-arm64", null), (kernel.Kind, kernel.Architecture, kernel.Version, kernel.Fault));
        Assert.Equal(Disk, kernel.FitRamDisk);
        Assert.Equal(Tree, kernel.FitTree);
        foreach (
            var (part, what) in ((byte[], string)[])
                [(ImageMaker.Arm64Kernel(), "kernel"), (Disk, "initial file system"), (Tree, "device tree")]
        )
        {
            var damaged = fit.ToArray();
            damaged[damaged.AsSpan().IndexOf(part) + part.Length - 1] ^= 1;
            Assert.Equal($"the checksum of its {what} is wrong", Identify(damaged).Fault);
        }
    }

    [Fact]
    public void A_kernel_packed_in_it_is_unpacked()
    {
        Assert.Equal("6.6.30-arm64", Identify(Fit(kernel: ImageMaker.Gzip(ImageMaker.Arm64Kernel()), compression: "gzip")).Version);
        Assert.Contains("does not decompress", Identify(Fit(kernel: new byte[4096], compression: "gzip")).Fault);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void Parts_behind_the_tree_are_found_and_missed_when_they_are_cut_off(bool counted)
    {
        var kernel = ImageMaker.Arm64Kernel();
        byte[] Head(uint at) =>
            new TreeMaker()
                .Cell("/images/k", counted ? "data-offset" : "data-position", at)
                .Cell("/images/k", "data-size", (uint)kernel.Length)
                .Text("/configurations/c", "kernel", "k")
                .Blob();
        var length = (Head(0).Length + 3) & ~3;
        var fit = (byte[])[.. Head(counted ? 16 : (uint)length + 16), .. new byte[length - Head(0).Length + 16], .. kernel];
        Assert.Equal(("6.6.30-arm64", null), (Identify(fit).Version, Identify(fit).Fault));
        Assert.Equal("its kernel is not in it", Identify(fit[..^1]).Fault);
    }

    [Theory]
    [InlineData("/configurations/c", "kernel", "gone", "its kernel is not in it")]
    [InlineData("/configurations/c", "description", "empty", "it is no FIT image with a kernel")]
    [InlineData("/", "compatible", "orchard,pomona-3", "it is no FIT image with a kernel")]
    public void A_fit_image_without_a_kernel_says_so(string node, string name, string value, string fault) =>
        Assert.Equal(fault, Identify(new TreeMaker().Text(node, name, value).Blob()).Fault);

    [Property(MaxTest = 200)]
    public bool A_damaged_fit_image_is_judged(int seed)
    {
        var random = new Random(seed);
        var fit = Fit();
        for (var i = random.Next(1, 8); i > 0; i--)
            fit[random.Next(fit.Length)] = (byte)random.Next(256);
        var kernel = Identify(random.Next(3) == 0 ? fit[..random.Next(fit.Length)] : fit);
        return kernel.Fault is not null || kernel.Kind is not null || kernel.Architecture is null;
    }

    // --- legacy images
    [Fact]
    public void A_legacy_image_is_the_kernel_in_it()
    {
        var plain = Identify(ImageMaker.Legacy(ImageMaker.Arm64Kernel()));
        Assert.Equal(("legacy", InstructionSet.Arm64, "6.6.30-arm64", null), (plain.Kind, plain.Architecture, plain.Version, plain.Fault));
        Assert.Equal("6.6.30-arm64", Identify(ImageMaker.Legacy(ImageMaker.Gzip(ImageMaker.Arm64Kernel()), compression: 1)).Version);
        Assert.Contains("does not decompress", Identify(ImageMaker.Legacy(new byte[900], compression: 1)).Fault);
    }

    [Theory]
    [InlineData(2, InstructionSet.Armhf)]
    [InlineData(22, InstructionSet.Arm64)]
    [InlineData(26, InstructionSet.Riscv64)]
    [InlineData(24, InstructionSet.Amd64)]
    [InlineData(99, null)]
    public void Its_header_tells_the_instruction_set_when_the_kernel_does_not(byte number, InstructionSet? set)
    {
        var kernel = new byte[4096];
        kernel.AsSpan().Fill(0x55);
        Assert.Equal(set, Identify(ImageMaker.Legacy(kernel, number)).Architecture);
    }

    [Fact]
    public void Its_header_and_its_content_are_looked_at()
    {
        var good = ImageMaker.Legacy(ImageMaker.Arm64Kernel());
        byte[] With(int at)
        {
            var bad = good.ToArray();
            bad[at] ^= 1;
            return bad;
        }
        Assert.Equal("its header checksum is wrong", Identify(With(33)).Fault);
        Assert.Equal("its data checksum is wrong", Identify(With(2000)).Fault);
        Assert.Contains("it is cut off", Identify(good[..^1]).Fault);
    }
}
