namespace Buttonhook.Lab;

/// <summary>One kind of machine that the emulator has.</summary>
/// <param name="Name">Debian's name of the instruction set.</param>
/// <param name="Command">The emulator and what is always said to it.</param>
/// <param name="Console">The kernel's name of its console.</param>
/// <param name="Disks">How a disk is fitted, by the name of its kind; {0} is the drive's id.</param>
/// <param name="Net">How a network card is fitted, or null for none; {0} is the network's id.</param>
/// <param name="Slow">How many times slower than a processor of its own it is taken to be.</param>
internal sealed record Machine(
    string Name,
    string Command,
    string Console,
    IReadOnlyDictionary<string, (string Device, string Node)> Disks,
    string? Net,
    int Slow
)
{
    private static readonly Dictionary<string, (string, string)> Virtio = new()
    {
        ["virtio"] = ("-device virtio-blk-pci,drive={0}", "vda"),
        ["scsi"] = ("-device virtio-scsi-pci -device scsi-hd,drive={0}", "sda"),
    };

    /// <summary>Those of the lab.</summary>
    public static IReadOnlyDictionary<string, Machine> All { get; } =
        new Machine[]
        {
            new(
                "amd64",
                "qemu-system-x86_64 -machine pc,graphics=off -accel tcg",
                "ttyS0",
                new Dictionary<string, (string, string)>(Virtio)
                {
                    ["ata"] = ("-device ide-hd,drive={0}", "sda"),
                    ["card"] = ("-device sdhci-pci -device sd-card,drive={0}", "mmcblk0"),
                    ["usb"] = ("-device qemu-xhci -device usb-storage,drive={0}", "sda"),
                    ["nvme"] = ("-device nvme,serial=1,drive={0}", "nvme0n1"),
                },
                "-device e1000,romfile=,netdev={0}",
                1
            ),
            new(
                "i386",
                "qemu-system-i386 -machine q35,graphics=off -accel tcg",
                "ttyS0",
                new Dictionary<string, (string, string)>(Virtio) { ["ata"] = ("-device ide-hd,drive={0}", "sda") },
                "-device rtl8139,romfile=,netdev={0}",
                1
            ),
            new(
                "arm64",
                "qemu-system-aarch64 -machine virt -cpu cortex-a53",
                "ttyAMA0",
                new Dictionary<string, (string, string)>(Virtio)
                {
                    ["usb"] = ("-device qemu-xhci -device usb-storage,drive={0}", "sda"),
                    ["card"] = ("-device sdhci-pci -device sd-card,drive={0}", "mmcblk0"),
                },
                "-device virtio-net-pci,romfile=,netdev={0}",
                8
            ),
            new(
                "armhf",
                "qemu-system-arm -machine virt,highmem=off -cpu cortex-a15",
                "ttyAMA0",
                new Dictionary<string, (string, string)>
                {
                    ["virtio"] = ("-device virtio-blk-device,drive={0}", "vda"),
                    ["scsi"] = ("-device virtio-scsi-device -device scsi-hd,drive={0}", "sda"),
                },
                "-device virtio-net-device,netdev={0}",
                8
            ),
            new("riscv64", "qemu-system-riscv64 -machine virt", "ttyS0", Virtio, "-device virtio-net-pci,romfile=,netdev={0}", 10),
            new(
                "ppc64el",
                "qemu-system-ppc64 -machine pseries -cpu power9",
                "hvc0",
                new Dictionary<string, (string, string)>(Virtio) { ["vscsi"] = ("-device spapr-vscsi -device scsi-hd,drive={0}", "sda") },
                "-device spapr-vlan,netdev={0}",
                8
            ),
            new(
                "s390x",
                "qemu-system-s390x -machine s390-ccw-virtio -cpu max",
                "ttysclp0",
                new Dictionary<string, (string, string)> { ["virtio"] = ("-device virtio-blk-ccw,drive={0}", "vda") },
                "-device virtio-net-ccw,netdev={0}",
                8
            ),
            new(
                "mips64el",
                "qemu-system-mips64el -machine malta -cpu 5KEc",
                "ttyS0",
                new Dictionary<string, (string, string)> { ["ata"] = ("-device ide-hd,drive={0},bus=ide.0,unit=0", "sda") },
                "-device pcnet,romfile=,netdev={0}",
                10
            ),
            new(
                "mipsel",
                "qemu-system-mipsel -machine malta -cpu 24Kf",
                "ttyS0",
                new Dictionary<string, (string, string)> { ["ata"] = ("-device ide-hd,drive={0},bus=ide.0,unit=0", "sda") },
                "-device pcnet,romfile=,netdev={0}",
                10
            ),
        }.ToDictionary(m => m.Name);
}
