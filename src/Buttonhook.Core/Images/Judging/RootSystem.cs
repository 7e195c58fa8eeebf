using System.Text;
using System.Text.RegularExpressions;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Judging;

/// <summary>Who sets a system's network up.</summary>
public enum NetworkSetup
{
    /// <summary>Nothing that is known here was found.</summary>
    Unknown,

    /// <summary>ifupdown, by /etc/network/interfaces.</summary>
    Ifupdown,

    /// <summary>netplan, by /etc/netplan.</summary>
    Netplan,

    /// <summary>NetworkManager.</summary>
    NetworkManager,

    /// <summary>systemd-networkd.</summary>
    Networkd,
}

/// <summary>What a root file system has of the tools that settings before the first boot need; read from its files, so nothing of it is a usual value.</summary>
/// <param name="CloudInit">The version of cloud-init; empty when it is there and its version is not told, null when it is not there.</param>
/// <param name="Resolver">Whether something takes name servers from the network's settings: systemd-resolved or resolvconf.</param>
/// <param name="Sudo">Whether sudo is there.</param>
/// <param name="KeyboardTools">Whether the layout of a keyboard can be set (setupcon of console-setup).</param>
/// <param name="LocaleTools">Whether locales can be generated (locale-gen).</param>
/// <param name="Growpart">Whether a partition can be grown while it is in use (growpart).</param>
/// <param name="SshServer">Whether a server for remote logins is there.</param>
/// <param name="HostKeys">Whether it has host keys already.</param>
/// <param name="AddsUsers">Whether users are added by useradd (else by busybox's adduser).</param>
/// <param name="Inittab">Whether its first program reads /etc/inittab.</param>
public sealed partial record RootSystem(
    string? CloudInit,
    NetworkSetup Network,
    bool Resolver,
    bool Sudo,
    bool KeyboardTools,
    bool LocaleTools,
    bool Growpart,
    bool SshServer,
    bool HostKeys,
    bool AddsUsers,
    bool Inittab
)
{
    /// <summary>Reads a root file system; damage in one place leaves that place out.</summary>
    public static RootSystem Of(FileTree root)
    {
        bool Is(params string[] paths) => paths.Any(p => Found(root, p));
        var enabled = Names(root, "/etc/systemd/system/multi-user.target.wants");
        // In the order in which cloud-init itself looks (cloudinit/net/renderers.py), so that both mean the same.
        var network =
            Is("/sbin/ifup", "/usr/sbin/ifup") && Is("/etc/network/interfaces") ? NetworkSetup.Ifupdown
            : Is("/usr/sbin/netplan", "/sbin/netplan") ? NetworkSetup.Netplan
            : enabled.Contains("NetworkManager.service") ? NetworkSetup.NetworkManager
            : Is("/usr/lib/systemd/systemd-networkd", "/lib/systemd/systemd-networkd") ? NetworkSetup.Networkd
            : NetworkSetup.Unknown;
        return new(
            Is("/usr/bin/cloud-init", "/etc/cloud/cloud.cfg") ? Version(root, "cloud-init") : null,
            network,
            Is("/usr/lib/systemd/systemd-resolved", "/lib/systemd/systemd-resolved", "/sbin/resolvconf", "/usr/sbin/resolvconf"),
            Is("/usr/bin/sudo"),
            Is("/bin/setupcon", "/usr/bin/setupcon"),
            Is("/usr/sbin/locale-gen", "/sbin/locale-gen"),
            Is("/usr/bin/growpart"),
            Is("/usr/sbin/sshd", "/sbin/sshd", "/usr/sbin/dropbear"),
            Names(root, "/etc/ssh")
                .Any(n => n.StartsWith("ssh_host_", StringComparison.Ordinal) && n.EndsWith("_key", StringComparison.Ordinal)),
            Is("/usr/sbin/useradd", "/sbin/useradd"),
            Is("/etc/inittab")
        );
    }

    private static bool Found(FileTree root, string path)
    {
        try
        {
            return root.Find(path) is not null;
        }
        catch (UnreadableException)
        {
            return false;
        }
    }

    private static IReadOnlyList<string> Names(FileTree root, string folder)
    {
        try
        {
            return root.List(folder);
        }
        catch (UnreadableException)
        {
            return [];
        }
    }

    /// <summary>The version of an installed package, as dpkg or apk list it; empty when neither does.</summary>
    private static string Version(FileTree root, string package)
    {
        try
        {
            var dpkg = Encoding.UTF8.GetString(root.Read("/var/lib/dpkg/status", 32 << 20) ?? []);
            foreach (Match entry in Entry().Matches(dpkg))
                if (entry.Groups[1].Value == package && PackageVersion().Match(entry.Value) is { Success: true } version)
                    return version.Groups[1].Value;
        }
        catch (UnreadableException)
        {
            // The list is damaged: the version is not told.
        }
        return "";
    }

    [GeneratedRegex(@"(?:^|\n)Package: (\S+)\n(?:\S.*\n| .*\n)*")]
    private static partial Regex Entry();

    [GeneratedRegex(@"\nVersion: (\S+)")]
    private static partial Regex PackageVersion();
}
