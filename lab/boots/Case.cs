namespace Buttonhook.Lab;

/// <summary>A system of the lab: what it is made of, and how it is started.</summary>
/// <param name="Id">Its name in the table.</param>
/// <param name="Made">The folder of its packages (system.sh), or "busybox" for a first program of one file.</param>
/// <param name="Machine">What it runs on.</param>
/// <param name="Disk">How the disk is fitted.</param>
/// <param name="Chain">Who loads the kernel: kernel (the emulator), extlinux, script, grub, grub-efi, efi, boot-menu, syslinux.</param>
/// <param name="Init">systemd, sysvinit, openrc, runit or busybox.</param>
/// <param name="Early">initramfs-tools, dracut, tiny or none.</param>
/// <param name="Loader">Folder of the loader's build for extlinux and script.</param>
internal sealed record Kit(
    string Id,
    string Made,
    Machine Machine,
    string Disk,
    string Chain,
    string Init,
    string Early,
    string Loader = "",
    int Processors = 1
)
{
    public string Node => Machine.Disks[Disk].Node;

    /// <summary>The node of a partition (1 boot, 2 root).</summary>
    public string Part(int number) => char.IsAsciiDigit(Node[^1]) ? $"{Node}p{number}" : $"{Node}{number}";

    public bool Is(params string[] inits) => inits.Contains(Init);
}

/// <summary>How one boot differs from the whole one.</summary>
internal sealed record Setup
{
    /// <summary>The root's place on the command line; empty for none.</summary>
    public string Root { get; init; } = "root=LABEL=labroot";

    /// <summary>More words of the command line.</summary>
    public string Words { get; init; } = "ro";

    /// <summary>Which console= words it has; null for the machine's own.</summary>
    public string? Console { get; init; }

    /// <summary>Shell in the mounted root; $T is the console, $N the disk.</summary>
    public string? InRoot { get; init; }

    /// <summary>Shell in the mounted boot partition.</summary>
    public string? InBoot { get; init; }

    /// <summary>Shell beside the disk file $D, after everything else; $S is where the root begins, in bytes.</summary>
    public string? AtDisk { get; init; }

    /// <summary>Shell beside the initial file system $I.</summary>
    public string? AtInitrd { get; init; }

    public bool NoInitrd { get; init; }
    public bool NoDisk { get; init; }
    public bool NoNet { get; init; }

    /// <summary>The network of the emulator; null for its own with addresses.</summary>
    public string? Net { get; init; }
    public int Memory { get; init; }
    public string More { get; init; } = "";

    /// <summary>How the file of the disk is opened; {0} is its path.</summary>
    public string Drive { get; init; } = "file={0},format=raw,if=none,id=d0,cache=unsafe";
    public IReadOnlyList<Typing> Typing { get; init; } = [];
    public IReadOnlyList<Doing> Doing { get; init; } = [];
    public double Most { get; init; } = 60;
    public double Quiet { get; init; } = 14;
    public double AfterLogin { get; init; } = 2.5;
}

/// <summary>A boot with its truth.</summary>
/// <param name="Name">What was done, as a name.</param>
/// <param name="Cause">The cause that was made, "none" for a good boot.</param>
/// <param name="Outcomes">How it must end; the first is the usual one.</param>
/// <param name="Proof">Expressions of the lines that prove it.</param>
/// <param name="Accept">Further causes that the log alone supports as well.</param>
internal sealed record Case(
    string Name,
    string Cause,
    IReadOnlyList<string> Outcomes,
    IReadOnlyList<string> Proof,
    Setup Setup,
    IReadOnlyList<string>? Accept = null
);
