namespace Buttonhook.Core;

/// <summary>The ids of the causes that code names; made out of data/knowledge/rulebook by src/cause-ids.mjs.</summary>
public static class CauseIds
{
    /// <summary>Count-down was interrupted.</summary>
    public const string AutobootInterrupted = "autoboot-interrupted";

    /// <summary>Boot files missing.</summary>
    public const string BootFilesMissing = "boot-files-missing";

    /// <summary>Boot switch forces USB mode.</summary>
    public const string BootSwitchUsb = "boot-switch-usb";

    /// <summary>Booted from another medium.</summary>
    public const string BootedOtherMedium = "booted-other-medium";

    /// <summary>Card not seen.</summary>
    public const string CardNotDetected = "card-not-detected";

    /// <summary>Clock not set.</summary>
    public const string ClockUnset = "clock-unset";

    /// <summary>Kernel not told to use this console.</summary>
    public const string ConsoleArgMissing = "console-arg-missing";

    /// <summary>Console loses bytes.</summary>
    public const string ConsoleBytesLost = "console-bytes-lost";

    /// <summary>Data bits or parity differ.</summary>
    public const string ConsoleFrameMismatch = "console-frame-mismatch";

    /// <summary>Console levels inverted.</summary>
    public const string ConsoleInvertedLevel = "console-inverted-level";

    /// <summary>Noise on the console line.</summary>
    public const string ConsoleLineNoise = "console-line-noise";

    /// <summary>Console not wired.</summary>
    public const string ConsoleNotWired = "console-not-wired";

    /// <summary>The console does not hear you.</summary>
    public const string ConsoleOneWay = "console-one-way";

    /// <summary>Console speed differs.</summary>
    public const string ConsoleSpeedMismatch = "console-speed-mismatch";

    /// <summary>Disk full.</summary>
    public const string DiskFull = "disk-full";

    /// <summary>Screen cannot show the mode.</summary>
    public const string DisplayModeUnsupported = "display-mode-unsupported";

    /// <summary>Screen output off or another socket.</summary>
    public const string DisplayOutputOff = "display-output-off";

    /// <summary>Memory training failed.</summary>
    public const string DramInitFailed = "dram-init-failed";

    /// <summary>Device tree damaged.</summary>
    public const string DtbInvalid = "dtb-invalid";

    /// <summary>Device tree missing.</summary>
    public const string DtbMissing = "dtb-missing";

    /// <summary>Device tree of another board.</summary>
    public const string DtbWrongBoard = "dtb-wrong-board";

    /// <summary>First-boot script failed.</summary>
    public const string FirstBootScriptFailed = "first-boot-script-failed";

    /// <summary>File system check wants a person.</summary>
    public const string FsCheckNeeded = "fs-check-needed";

    /// <summary>Mount table names a device that is not there.</summary>
    public const string FstabDeviceMissing = "fstab-device-missing";

    /// <summary>Mount table names the wrong kind of file system.</summary>
    public const string FstabTypeWrong = "fstab-type-wrong";

    /// <summary>No login on this console.</summary>
    public const string GettyMissing = "getty-missing";

    /// <summary>Host key changed.</summary>
    public const string HostKeyChanged = "host-key-changed";

    /// <summary>Host name differs in two files.</summary>
    public const string HostnameMismatch = "hostname-mismatch";

    /// <summary>Image cut off.</summary>
    public const string ImageTruncated = "image-truncated";

    /// <summary>First program ended.</summary>
    public const string InitCrashed = "init-crashed";

    /// <summary>First program missing.</summary>
    public const string InitMissing = "init-missing";

    /// <summary>First program for another instruction set.</summary>
    public const string InitWrongArchitecture = "init-wrong-architecture";

    /// <summary>Initial file system damaged.</summary>
    public const string InitrdCorrupt = "initrd-corrupt";

    /// <summary>Initial file system missing.</summary>
    public const string InitrdMissing = "initrd-missing";

    /// <summary>Kernel damaged.</summary>
    public const string KernelCorrupt = "kernel-corrupt";

    /// <summary>Kernel hangs.</summary>
    public const string KernelHang = "kernel-hang";

    /// <summary>Crash in the kernel.</summary>
    public const string KernelOops = "kernel-oops";

    /// <summary>Kernel for another instruction set.</summary>
    public const string KernelWrongArchitecture = "kernel-wrong-architecture";

    /// <summary>Loader configuration missing.</summary>
    public const string LoaderConfigMissing = "loader-config-missing";

    /// <summary>Loader for another board.</summary>
    public const string LoaderWrongBoard = "loader-wrong-board";

    /// <summary>Login refused.</summary>
    public const string LoginRefused = "login-refused";

    /// <summary>Medium fails.</summary>
    public const string MediumIoErrors = "medium-io-errors";

    /// <summary>Medium is read-only.</summary>
    public const string MediumReadOnly = "medium-read-only";

    /// <summary>Module not seated.</summary>
    public const string ModuleNotSeated = "module-not-seated";

    /// <summary>Name does not resolve.</summary>
    public const string NameNotResolved = "name-not-resolved";

    /// <summary>No network device.</summary>
    public const string NetworkNoInterface = "network-no-interface";

    /// <summary>No address.</summary>
    public const string NetworkNoLease = "network-no-lease";

    /// <summary>No cable or no wireless.</summary>
    public const string NetworkNoLink = "network-no-link";

    /// <summary>Nothing to boot from.</summary>
    public const string NoBootMedium = "no-boot-medium";

    /// <summary>No power.</summary>
    public const string NoPower = "no-power";

    /// <summary>Too little memory.</summary>
    public const string OutOfMemory = "out-of-memory";

    /// <summary>Device tree overlay does not apply.</summary>
    public const string OverlayNotApplied = "overlay-not-applied";

    /// <summary>Waits for a passphrase.</summary>
    public const string PassphraseWanted = "passphrase-wanted";

    /// <summary>Password must be changed first.</summary>
    public const string PasswordChangeForced = "password-change-forced";

    /// <summary>No root on the command line.</summary>
    public const string RootArgMissing = "root-arg-missing";

    /// <summary>Root may not log in here.</summary>
    public const string RootLoginDisabled = "root-login-disabled";

    /// <summary>Root not found.</summary>
    public const string RootNotFound = "root-not-found";

    /// <summary>Root file system damaged.</summary>
    public const string RootfsCorrupt = "rootfs-corrupt";

    /// <summary>Root still has the image's size.</summary>
    public const string RootfsNotExpanded = "rootfs-not-expanded";

    /// <summary>No driver for the root file system.</summary>
    public const string RootfsUnsupported = "rootfs-unsupported";

    /// <summary>Second loader missing.</summary>
    public const string SecondLoaderMissing = "second-loader-missing";

    /// <summary>A service failed.</summary>
    public const string ServiceFailed = "service-failed";

    /// <summary>Supply too weak.</summary>
    public const string SupplyTooWeak = "supply-too-weak";

    /// <summary>Too hot.</summary>
    public const string ThermalLimit = "thermal-limit";

    /// <summary>USB carries power but no data.</summary>
    public const string UsbDataMissing = "usb-data-missing";

    /// <summary>Restarted by the watchdog.</summary>
    public const string WatchdogReset = "watchdog-reset";

    /// <summary>Wireless country not set.</summary>
    public const string WirelessCountryUnset = "wireless-country-unset";
}
