using System.Globalization;
using System.Text;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Judging;

/// <summary>A user that can log in: whether a password is set, none is needed, or it is locked; whether the first login asks for a new one.</summary>
public sealed record ImageUser(string Name, string Password, bool ChangeForced);

/// <summary>What the root file system says about a first boot.</summary>
/// <param name="Users">Those who can log in, in the order of their numbers.</param>
/// <param name="GrowsBy">The file that makes the root grow at the first boot, or null when none was found.</param>
/// <param name="Logins">Ports with a login service.</param>
/// <param name="Desktop">The file that starts a desktop, or null.</param>
/// <param name="SystemDate">The day of its newest package list or release file (ISO), or null.</param>
public sealed record FirstBootFacts(
    IReadOnlyList<ImageUser> Users,
    string? GrowsBy,
    IReadOnlyList<string> Logins,
    string? Desktop,
    string? SystemDate
)
{
    private static readonly string[] Growers =
    [
        "/etc/init.d/resize2fs_once",
        "/etc/init.d/resize2fs",
        "/usr/lib/systemd/system/resize2fs.service",
        "/etc/systemd/system/resize-root.service",
        "/usr/lib/repart.d/50-root.conf",
        "/etc/repart.d/50-root.conf",
        "/etc/growroot-disabled",
        "/etc/init.d/growroot",
        "/usr/share/initramfs-tools/scripts/local-bottom/growroot",
        "/usr/share/initramfs-tools/scripts/local-premount/resize",
    ];

    private static readonly string[] Desktops =
    [
        "/etc/systemd/system/display-manager.service",
        "/usr/sbin/lightdm",
        "/usr/sbin/gdm3",
        "/usr/bin/sddm",
        "/usr/bin/startx",
    ];

    private static readonly string[] Dated =
    [
        "/var/lib/dpkg/status",
        "/lib/apk/db/installed",
        "/etc/os-release",
        "/usr/lib/os-release",
        "/etc/passwd",
    ];

    /// <summary>Reads a root file system; damage in one place leaves that place out.</summary>
    public static FirstBootFacts Of(FileTree root, string? commandLine) =>
        new(
            Accounts(root),
            Grower(root, commandLine),
            [.. LoginPorts.Of(root).Keys.Order(StringComparer.Ordinal)],
            First(root, Desktops),
            Day(root)
        );

    private static string Text(FileTree root, string path)
    {
        try
        {
            return Encoding.UTF8.GetString(root.Read(path, 1 << 20) ?? []);
        }
        catch (UnreadableException)
        {
            return "";
        }
    }

    private static bool Is(FileTree root, string path)
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

    private static string? First(FileTree root, string[] paths) => paths.FirstOrDefault(p => Is(root, p));

    /// <summary>passwd(5) and shadow(5): people have numbers from 1000 to 59999; root counts when its password is not locked.</summary>
    private static List<ImageUser> Accounts(FileTree root)
    {
        var shadow = Text(root, "/etc/shadow")
            .Split('\n')
            .Select(l => l.Split(':'))
            .Where(p => p.Length >= 3)
            .GroupBy(p => p[0])
            .ToDictionary(g => g.Key, g => g.First());
        return
        [
            .. Text(root, "/etc/passwd")
                .Split('\n')
                .Select(l => l.TrimEnd('\r').Split(':'))
                .Where(p =>
                    p.Length >= 7
                    && !p[6].EndsWith("nologin", StringComparison.Ordinal)
                    && !p[6].EndsWith("/false", StringComparison.Ordinal)
                )
                .Where(p =>
                    int.TryParse(p[2], NumberStyles.None, CultureInfo.InvariantCulture, out var id) && id is 0 or (>= 1000 and < 60000)
                )
                .Select(p =>
                {
                    var secret = p[1] == "x" ? shadow.GetValueOrDefault(p[0])?[1] ?? "*" : p[1];
                    var state =
                        secret.Length == 0 ? "none needed"
                        : secret[0] is '*' or '!' ? "locked"
                        : "set";
                    return new ImageUser(p[0], state, shadow.GetValueOrDefault(p[0])?[2] == "0");
                }),
        ];
    }

    private static string? Grower(FileTree root, string? commandLine)
    {
        if (
            commandLine is not null
            && new KernelCommandLine(commandLine).Words.FirstOrDefault(w =>
                w == "resize" || (w.StartsWith("init=", StringComparison.Ordinal) && w.Contains("resize", StringComparison.Ordinal))
            )
                is { } word
        )
            return $"{word} on the command line";
        if (First(root, Growers) is { } file && file != "/etc/growroot-disabled")
            return file;
        if (Text(root, "/etc/fstab").Contains("x-systemd.growfs", StringComparison.Ordinal))
            return "/etc/fstab";
        // cloud-init asks a program of another package to do it, and passes over it in silence where that is not there.
        if (Text(root, "/etc/cloud/cloud.cfg").Contains("growpart", StringComparison.Ordinal) && Is(root, "/usr/bin/growpart"))
            return "/etc/cloud/cloud.cfg";
        return null;
    }

    private static string? Day(FileTree root)
    {
        DateTimeOffset? newest = null;
        foreach (var path in Dated)
            try
            {
                if (root.Find(path)?.Modified is { } at && at.Year is >= 2000 and < 2100 && (newest is null || at > newest))
                    newest = at;
            }
            catch (UnreadableException)
            {
                // A damaged place tells no day.
            }
        return newest?.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
    }
}

/// <summary>Ports with a login service on a root file system.</summary>
internal static class LoginPorts
{
    /// <summary>
    /// Ports with a login and the file that sets it up: from inittab, and from systemd's services. "systemd" stands for its automatic login
    /// on the kernel's console, which follows from its kind (systemd-getty-generator(8)) and stands in no file: null.
    /// </summary>
    public static Dictionary<string, string?> Of(FileTree tree)
    {
        const string table = "/etc/inittab";
        const string wants = "/etc/systemd/system/getty.target.wants";
        var ports = new Dictionary<string, string?>();
        foreach (var line in Encoding.UTF8.GetString(tree.Read(table, 1 << 20) ?? []).Split('\n').Select(l => l.Trim()))
        {
            if (
                line.StartsWith('#')
                || line.Split(':', 4) is not [var id, _, var action, var process]
                || action is not ("respawn" or "askfirst")
            )
                continue;
            if (
                !process.Contains("getty", StringComparison.Ordinal)
                && !process.Contains("login", StringComparison.Ordinal)
                && action != "askfirst"
                && !process.Contains("/sh", StringComparison.Ordinal)
            )
                continue;
            var words = process.Split([' ', '\t'], StringSplitOptions.RemoveEmptyEntries);
            if (words.FirstOrDefault(w => w.StartsWith("tty", StringComparison.Ordinal) || w == "console") is { } named)
                ports.TryAdd(named, table);
            else
                ports.TryAdd(id.StartsWith("tty", StringComparison.Ordinal) ? id : "console", table);
        }
        if (tree.HasSystemd)
        {
            ports.TryAdd("systemd", null);
            foreach (var name in tree.List(wants).Where(n => n.Contains("getty@", StringComparison.Ordinal)))
                ports.TryAdd(name.Split('@')[1].Replace(".service", "", StringComparison.Ordinal), $"{wants}/{name}");
        }
        return ports;
    }
}
