namespace Buttonhook.Core.Simulating;

/// <summary>What the initial file system, the services and the login print.</summary>
internal sealed partial class PrintedBoot
{
    private bool Root()
    {
        Say(250, "Loading, please wait...");
        Say(600, "Begin: Loading essential drivers ... done.");
        Say(40, "Begin: Running /scripts/init-premount ... done.");
        Say(60, "Begin: Mounting root file system ... Begin: Running /scripts/local-top ... done.");
        if (Has(CauseIds.RootNotFound))
        {
            Say(20, "Begin: Running /scripts/local-premount ... done.");
            Say(30, "Begin: Waiting for root file system ... ");
            Say(30600, "done.");
            Say(30, "Gave up waiting for root file system device.  Common problems:");
            Say(9, " - Boot args (cat /proc/cmdline)");
            Say(3, "   - Check rootdelay= (did the system wait long enough?)");
            Say(3, " - Missing modules (cat /proc/modules; ls /dev)");
            Say(20, $"ALERT!  PARTUUID={plan.RootArgument} does not exist.  Dropping to a shell!\r\n");
            End(Then.RescueShell, "(initramfs) ");
            return true;
        }
        Say(20, "Begin: Running /scripts/local-premount ... done.");
        Say(
            50,
            $"Begin: Will now check root file system ... fsck from util-linux 2.38.1\r\n[/sbin/fsck.ext4 (1) -- /dev/{Partition}] fsck.ext4 -a -C0 /dev/{Partition}"
        );
        if (Has(CauseIds.ImageTruncated))
        {
            Say(
                700,
                "rootfs: The filesystem size (according to the superblock) is 972800 blocks\r\nThe physical size of the device is 611328 blocks"
            );
            Say(
                5,
                "Either the superblock or the partition table is likely to be corrupt!\r\n\r\nrootfs: UNEXPECTED INCONSISTENCY; RUN fsck MANUALLY."
            );
            Say(
                40,
                $"fsck exited with status code 4\r\ndone.\r\nFailure: File system check of the root filesystem failed\r\nThe root filesystem on /dev/{Partition} requires a manual fsck\r\n"
            );
            End(Then.RescueShell, "(initramfs) ");
            return true;
        }
        if (Has(CauseIds.MediumIoErrors))
        {
            K(900, $"mmc0: Timeout waiting for hardware interrupt.");
            K(600, $"I/O error, dev {Disk}, sector 586224 op 0x0:(READ) flags 0x80700 phys_seg 11 prio class 2");
            K(500, $"I/O error, dev {Disk}, sector 586232 op 0x0:(READ) flags 0x0 phys_seg 1 prio class 2");
        }
        Say(800, "rootfs: clean, 6612/57600 files, 64341/230400 blocks\r\ndone.");
        K(120, $"EXT4-fs ({Partition}): mounted filesystem with ordered data mode. Quota mode: none.");
        Say(40, "done.\r\nBegin: Running /scripts/local-bottom ... done.\r\nBegin: Running /scripts/init-bottom ... done.");
        if (!Has(CauseIds.MediumIoErrors))
            return false;
        K(400, $"I/O error, dev {Disk}, sector 586344 op 0x0:(READ) flags 0x0 phys_seg 1 prio class 2");
        K(60, "Kernel panic - not syncing: Attempted to kill init! exitcode=0x00000007");
        K(3, "---[ end Kernel panic - not syncing: Attempted to kill init! exitcode=0x00000007 ]---");
        End(Then.Silence);
        return true;
    }

    private void Ok(int delay, string text) => Say(delay, $"[\x1b[0;32m  OK  \x1b[0m] {text}.");

    private bool Minimal => plan.Image!.Flavour == "minimal";

    private bool Services()
    {
        InitBanner();
        GrowRoot();
        if (MountMissing())
            return true;
        StartServices();
        return false;
    }

    private void InitBanner()
    {
        if (Minimal)
        {
            Say(600, "INIT: version 3.06 booting");
            Say(300, "Starting syslogd: OK");
            Say(250, "Starting klogd: OK");
        }
        else
        {
            K(700, $"systemd[1]: systemd 252 running in system mode");
            Say(60, $"\r\nWelcome to \x1b[1m{plan.Image!.Title}\x1b[0m!\r\n");
            K(50, $"systemd[1]: Hostname set to <{Host}>.");
            Ok(900, "Created slice \x1b[0;1;39msystem-seria…\x1b[0m - Slice /system/serial-getty");
            Ok(120, "Listening on \x1b[0;1;39msystemd-journald.socket\x1b[0m - Journal Socket");
            Say(90, "         Starting \x1b[0;1;39msystemd-journald.service\x1b[0m - Journal Service...");
            Ok(500, "Started \x1b[0;1;39msystemd-journald.service\x1b[0m - Journal Service");
        }
    }

    private void GrowRoot()
    {
        if (plan.FirstBoot && plan.Image!.GrowsAtFirstBoot == true)
        {
            Say(
                400,
                Minimal
                    ? "Growing the root file system ..."
                    : "         Starting \x1b[0;1;39mgrow-root.service\x1b[0m - Grow Root File System..."
            );
            K(16000, $"EXT4-fs ({Partition}): resizing filesystem from 972800 to 7340032 blocks");
            if (!Minimal)
                Ok(900, "Finished \x1b[0;1;39mgrow-root.service\x1b[0m - Grow Root File System");
        }
    }

    private bool MountMissing()
    {
        if (Has(CauseIds.FstabDeviceMissing))
        {
            Say(300, "         Expecting device \x1b[0;1;39mdev-disk-…\x1b[0m - /dev/disk/by-label/FROSTLOG...");
            for (var second = 10; second <= 90; second += 10)
                Say(
                    10000,
                    $"\x1b[K[\x1b[0;31m*\x1b[0;1;31m*\x1b[0m\x1b[0;31m*   \x1b[0m] Job dev-disk-by\\x2dlabel-FROST…start running ({(second < 60 ? $"{second}s" : $"1min {second - 60}s")} / 1min 30s)"
                );
            Say(
                500,
                "[\x1b[0;1;31m TIME \x1b[0m] Timed out waiting for device \x1b[0;1;39mdev-disk-…\x1b[0m - /dev/disk/by-label/FROSTLOG."
            );
            Say(10, "[\x1b[0;1;38;5;185mDEPEND\x1b[0m] Dependency failed for \x1b[0;1;39msrv-frost.mount\x1b[0m - /srv/frost.");
            Say(10, "[\x1b[0;1;38;5;185mDEPEND\x1b[0m] Dependency failed for \x1b[0;1;39mloca…s.target\x1b[0m - Local File Systems.");
            Say(
                200,
                "You are in emergency mode. After logging in, type \"journalctl -xb\" to view\r\nsystem logs, \"systemctl reboot\" to reboot, \"systemctl default\" or \"exit\"\r\nto boot into default mode."
            );
            End(Then.Emergency, "Give root password for maintenance\r\n(or press Control-D to continue): ");
            return true;
        }
        return false;
    }

    private void StartServices()
    {
        if (Minimal)
            Say(300, "Mounting local file systems: OK");
        else
            Ok(600, "Reached target \x1b[0;1;39mlocal-fs.target\x1b[0m - Local File Systems");
        if (Has(CauseIds.DiskFull))
            Say(200, "/etc/rc.local: line 7: write error: No space left on device");
        if (Minimal)
            Say(200, $"Starting network: {(Has(CauseIds.NetworkNoLease) ? "udhcpc: no lease, failing" : "OK")}");
        else
            Ok(500, "Started \x1b[0;1;39msystemd-networkd.service\x1b[0m - Network Configuration");
        if (Has(CauseIds.ServiceFailed))
            Say(
                600,
                Minimal
                    ? "Starting frost-sentinel: FAIL"
                    : "[\x1b[0;1;31mFAILED\x1b[0m] Failed to start \x1b[0;1;39mfrost-sentinel.service\x1b[0m - Frost Sentinel.\r\nSee 'systemctl status frost-sentinel.service' for details."
            );
        if (!Minimal)
        {
            Ok(700, "Reached target \x1b[0;1;39mmulti-user.target\x1b[0m - Multi-User System");
            if (plan.Image!.Flavour == "desktop")
                Ok(2500, "Reached target \x1b[0;1;39mgraphical.target\x1b[0m - Graphical Interface");
        }
        Say(
            900,
            Has(CauseIds.NetworkNoLease)
                ? "eth0: 169.254.17.3 (nobody gave an address)"
                : $"My IP address is {SimulatedShell.Address(plan)}"
        );
    }

    private void Login() => End(Then.Login, $"\r\n{plan.Image!.Title} {Host} {plan.Console.Device}\r\n\r\n{Host} login: ", 300);
}
