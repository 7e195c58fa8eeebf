namespace Buttonhook.Lab;

/// <summary>The systems of the lab.</summary>
internal static class Kits
{
    public static IEnumerable<Kit> All()
    {
        static Kit Of(
            string id,
            string made,
            string arch,
            string disk,
            string chain,
            string init,
            string early,
            string loader = "",
            int cpus = 1
        ) => new(id, made, Machine.All[arch], disk, chain, init, early, loader, cpus);
        // A processor of its own: quick.
        yield return Of("d12-amd64-virtio", "d12-amd64", "amd64", "virtio", "kernel", "systemd", "initramfs-tools", cpus: 2);
        yield return Of("d12-amd64-ata-grub", "d12-amd64", "amd64", "ata", "grub", "systemd", "initramfs-tools");
        yield return Of("d12-amd64-usb-efi", "d12-amd64", "amd64", "usb", "grub-efi", "systemd", "initramfs-tools");
        yield return Of("d12-amd64-card-menu", "d12-amd64", "amd64", "card", "kernel", "systemd", "initramfs-tools");
        yield return Of("d12-amd64-sysv", "d12-amd64-sysv", "amd64", "virtio", "kernel", "sysvinit", "initramfs-tools");
        yield return Of("d12-amd64-sysv-syslinux", "d12-amd64-sysv", "amd64", "ata", "syslinux", "sysvinit", "initramfs-tools");
        yield return Of("d12-amd64-openrc", "d12-amd64-openrc", "amd64", "virtio", "kernel", "openrc", "initramfs-tools", cpus: 2);
        yield return Of("d12-amd64-openrc-grub", "d12-amd64-openrc", "amd64", "scsi", "grub", "openrc", "initramfs-tools");
        yield return Of("d13-amd64-dracut", "d13-amd64-dracut", "amd64", "virtio", "kernel", "systemd", "dracut");
        yield return Of("d13-amd64-dracut-efi", "d13-amd64-dracut", "amd64", "nvme", "boot-menu", "systemd", "dracut", cpus: 2);
        yield return Of("d13-amd64-dracut-grub", "d13-amd64-dracut", "amd64", "ata", "grub", "systemd", "dracut");
        yield return Of("d12-amd64-dracut", "d12-amd64-dracut", "amd64", "scsi", "kernel", "systemd", "dracut");
        yield return Of("d12-amd64-tiny", "d12-amd64-tiny", "amd64", "ata", "kernel", "systemd", "tiny");
        yield return Of("d11-amd64-sysv", "d11-amd64-sysv", "amd64", "virtio", "kernel", "sysvinit", "initramfs-tools");
        yield return Of("d13-amd64-openrc", "d13-amd64-openrc", "amd64", "nvme", "kernel", "openrc", "initramfs-tools");
        yield return Of("d11-amd64", "d11-amd64", "amd64", "ata", "kernel", "systemd", "initramfs-tools");
        yield return Of("d11-amd64-syslinux", "d11-amd64", "amd64", "virtio", "syslinux", "systemd", "initramfs-tools");
        yield return Of("d11-amd64-efi", "d11-amd64", "amd64", "usb", "efi", "systemd", "initramfs-tools");
        yield return Of("d12-amd64-cloud", "d12-amd64-cloud", "amd64", "virtio", "kernel", "systemd", "initramfs-tools");
        yield return Of("d12-amd64-cloud-grub", "d12-amd64-cloud", "amd64", "scsi", "grub", "systemd", "initramfs-tools");
        yield return Of("d13-amd64-runit", "d13-amd64-runit", "amd64", "virtio", "kernel", "runit", "initramfs-tools");
        yield return Of("d13-amd64-runit-efi", "d13-amd64-runit", "amd64", "scsi", "grub-efi", "runit", "initramfs-tools");
        yield return Of("sid-amd64", "sid-amd64", "amd64", "nvme", "kernel", "systemd", "initramfs-tools");
        yield return Of("sid-amd64-efi", "sid-amd64", "amd64", "card", "boot-menu", "systemd", "initramfs-tools");
        yield return Of("sid-amd64-grub", "sid-amd64", "amd64", "usb", "grub", "systemd", "initramfs-tools");
        yield return Of("d12-i386", "d12-i386-sysv", "i386", "ata", "kernel", "sysvinit", "initramfs-tools");
        yield return Of("d12-i386-grub", "d12-i386-sysv", "i386", "virtio", "grub", "sysvinit", "initramfs-tools");
        yield return Of("d13-amd64-live", "d13-amd64-live", "amd64", "usb", "kernel", "systemd", "initramfs-tools");
        foreach (
            var (made, arch) in new[]
            {
                ("d12-amd64-installer", "amd64"),
                ("d13-amd64-installer", "amd64"),
                ("d11-i386-installer", "i386"),
                ("d12-arm64-installer", "arm64"),
                ("d13-riscv64-installer", "riscv64"),
                ("d12-armhf-installer", "armhf"),
            }
        )
            yield return Of(made, made, arch, "virtio", "kernel", "installer", "none");
        // One file of programs: quick everywhere.
        foreach (
            var (made, arch, disk) in new[]
            {
                ("k11-arm64", "arm64", "virtio"),
                ("k12-arm64", "arm64", "usb"),
                ("k13-arm64", "arm64", "card"),
                ("sid-arm64", "arm64", "scsi"),
                ("k11-armhf", "armhf", "virtio"),
                ("k12-armhf", "armhf", "scsi"),
                ("k13-armhf", "armhf", "virtio"),
                ("k13-riscv64", "riscv64", "virtio"),
                ("sid-riscv64", "riscv64", "scsi"),
                ("k12-ppc64el", "ppc64el", "vscsi"),
                ("sid-ppc64el", "ppc64el", "virtio"),
                ("k12-s390x", "s390x", "virtio"),
                ("k13-s390x", "s390x", "virtio"),
                ("k12-mips64el", "mips64el", "ata"),
                ("k11-i386", "i386", "ata"),
                ("k11-amd64", "amd64", "ata"),
                ("k13-amd64", "amd64", "nvme"),
                ("sid-amd64-rt", "amd64", "usb"),
                ("d12-amd64", "amd64", "card"),
                ("x-amd64", "amd64", "scsi"),
                ("x-arm64", "arm64", "virtio"),
                ("x-armhf", "armhf", "virtio"),
                ("x-ppc64el", "ppc64el", "vscsi"),
                ("x-s390x", "s390x", "virtio"),
                ("k12-amd64-cloud", "amd64", "virtio"),
                ("k12-amd64-rt", "amd64", "ata"),
                ("b12-amd64", "amd64", "nvme"),
                ("b13-amd64", "amd64", "card"),
                ("k11-amd64-rt", "amd64", "usb"),
                ("k12-i386", "i386", "ata"),
                ("b12-i386", "i386", "virtio"),
                ("k12-arm64-rt", "arm64", "scsi"),
                ("b13-arm64", "arm64", "usb"),
                ("k13-arm64-16k", "arm64", "virtio"),
                ("k12-armhf-lpae", "armhf", "scsi"),
                ("b13-armhf", "armhf", "virtio"),
                ("b13-riscv64", "riscv64", "virtio"),
                ("k13-ppc64el", "ppc64el", "virtio"),
                ("b12-mips64el", "mips64el", "ata"),
                ("k12-mipsel", "mipsel", "ata"),
            }
        )
            yield return Of($"{made}-one-file", made, arch, disk, "kernel", "busybox", "none");
        // The same behind a loader of the board.
        foreach (
            var (made, arch, loader, chain) in new[]
            {
                ("k11-arm64", "arm64", "bookworm", "extlinux"),
                ("k12-arm64", "arm64", "sid", "extlinux"),
                ("k13-arm64", "arm64", "sid", "script"),
                ("k12-arm64", "arm64", "bookworm", "script"),
                ("k12-arm64", "arm64", "", "grub-efi"),
                ("k13-arm64", "arm64", "", "boot-menu"),
                ("k11-armhf", "armhf", "bookworm", "extlinux"),
                ("k12-armhf", "armhf", "sid", "extlinux"),
                ("k13-armhf", "armhf", "sid", "script"),
                ("k13-riscv64", "riscv64", "bookworm", "extlinux"),
                ("k13-riscv64", "riscv64", "sid", "script"),
                ("sid-riscv64", "riscv64", "sid", "extlinux"),
                ("k11-amd64", "amd64", "", "grub"),
                ("k13-amd64", "amd64", "", "grub-efi"),
                ("k11-i386", "i386", "", "grub"),
                ("k11-amd64", "amd64", "", "syslinux"),
                ("k13-amd64", "amd64", "", "boot-menu"),
                ("k13-amd64", "amd64", "", "efi"),
            }
        )
            yield return Of(
                $"{made}-{chain}{(loader == "sid" ? "-new" : "")}",
                made,
                arch,
                arch is "armhf" or "arm64" or "riscv64" ? "virtio" : "ata",
                chain,
                "busybox",
                "none",
                loader
            );
    }
}
