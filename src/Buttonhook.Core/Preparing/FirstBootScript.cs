using System.Text;
using Buttonhook.Core.Images.Judging;

namespace Buttonhook.Core.Preparing;

/// <summary>
/// The first-boot script for systems without cloud-init, in POSIX sh. Each step runs once and is noted with its status before the next
/// begins; a step that a power cut ended runs again, so steps come to the same however often they run. A step that fails is told on the
/// console, and the others follow.
/// </summary>
public static class FirstBootScript
{
    /// <summary>Where the script lies on a root file system with systemd.</summary>
    public const string OnRoot = "/usr/local/sbin/firstboot";

    /// <summary>Where the script lies on the boot partition of a system that a person starts it on.</summary>
    public const string OnBoot = "/firstboot.sh";

    private const string UnitPath = "/etc/systemd/system/firstboot.service";
    private const string WantPath = "/etc/systemd/system/multi-user.target.d/firstboot.conf";
    private const string State = "/var/lib/firstboot";

    /// <summary>A word for the shell, whatever it holds (POSIX, 2.2.2 single quotes).</summary>
    public static string Quote(string text) => $"'{text.Replace("'", "'\\''", StringComparison.Ordinal)}'";

    /// <summary>
    /// The script with the unit that runs it in an ordinary boot (systemd.service(5), systemd.unit(5)). Nothing stands on the kernel
    /// command line: <c>systemd.run=</c> would boot into that one command instead of the system and switch off behind it
    /// (systemd-run-generator(8)).
    /// </summary>
    public static IReadOnlyList<RenderedFile> ForSystemd(FirstBoot set, IReadOnlyList<RecipeStep> steps, RootSystem? root)
    {
        var online = Packages(set, steps).Count > 0 ? "Wants=network-online.target\nAfter=network-online.target\n" : "";
        return
        [
            new(FilePlace.Root, OnRoot, null, Of(set, steps, root), "0700"),
            new(
                FilePlace.Root,
                UnitPath,
                null,
                $"""
                [Unit]
                Description=First-boot settings
                ConditionPathExists=!{State}/done
                {online}
                [Service]
                Type=oneshot
                ExecStart=/bin/sh {OnRoot}
                StandardOutput=journal+console
                StandardError=inherit
                SyslogIdentifier=firstboot
                Environment=HOME=/root DEBIAN_FRONTEND=noninteractive
                TimeoutStartSec=infinity

                """,
                "0644"
            ),
            new(FilePlace.Root, WantPath, null, "[Unit]\nWants=firstboot.service\n", "0644"),
        ];
    }

    /// <summary>The script.</summary>
    /// <param name="root">What the image has; null when that is not known, and then everything is asked for.</param>
    public static string Of(FirstBoot set, IReadOnlyList<RecipeStep> steps, RootSystem? root)
    {
        var shell = new ShellSteps();
        if (set.HostName is { } host)
            HostName(host, shell);
        if (set.User is { } user)
            User(user, set, shell);
        if (set.RemoteLogin && (root?.SshServer != false || Packages(set, steps).Contains("openssh-server")))
            RemoteLogin(shell);
        if (set.Locale is { } locale && (root?.LocaleTools != false || GeneratedLocale(locale) is null))
            Locale(locale, shell);
        if (set.TimeZone is { } zone)
            TimeZone(zone, shell);
        if (set.Keyboard is { } layout && root?.KeyboardTools != false)
            Keyboard(layout, shell);
        if (set.Wireless is { } radio)
            Wireless(radio, shell);
        if (set.Address is { } address && root?.Network is not (NetworkSetup.NetworkManager or NetworkSetup.Unknown))
            Address(address, root?.Network ?? NetworkSetup.Networkd, root?.Resolver != false, shell);
        OfRecipes(set, steps, shell);
        return Begin + shell.Text + End(shell.Names);
    }

    private const string Begin = $$"""
        #!/bin/sh
        # Written by Buttonhook. Runs as root at the first boot. Each step runs once; one that a power cut ended runs again.
        state={{State}}
        mkdir -p "$state"
        once() {
        	[ -e "$state/$1" ] && return
        	echo "firstboot: $1"
        	(set -e; "$1") </dev/null 2>&1
        	code=$?
        	[ "$code" -eq 0 ] || echo "firstboot: $1 FAILED with status $code; the boot goes on"
        	echo "$code" >"$state/.now"
        	sync
        	mv "$state/.now" "$state/$1"
        	sync
        }

        """;

    private static void HostName(string host, ShellSteps shell)
    {
        shell.Line($"printf '%s\\n' {Quote(host)} >/etc/hostname");
        shell.Line($"hostname {Quote(host)} 2>/dev/null || printf '%s' {Quote(host)} >/proc/sys/kernel/hostname");
        shell.Line("[ -e /etc/hosts ] || printf '127.0.0.1\\tlocalhost\\n' >/etc/hosts");
        shell.Line("sed -i '/^127\\.0\\.1\\.1[[:space:]]/d' /etc/hosts");
        shell.Line($"printf '127.0.1.1\\t%s\\n' {Quote(host)} >>/etc/hosts");
        shell.Step("host_name");
    }

    private static void User(string user, FirstBoot set, ShellSteps shell)
    {
        shell.Line("shell=/bin/sh; [ -x /bin/bash ] && shell=/bin/bash");
        shell.Line($"id {Quote(user)} >/dev/null 2>&1 || useradd -m -s \"$shell\" {Quote(user)}");
        shell.Line("for group in sudo adm dialout; do");
        shell.Line($"\tif getent group \"$group\" >/dev/null; then usermod -a -G \"$group\" {Quote(user)}; fi");
        shell.Line("done");
        if (set.PasswordHash is { } hash)
            shell.Line($"usermod -p {Quote(hash)} {Quote(user)}");
        if (set.Keys.Count > 0)
        {
            shell.Line($"home=$(getent passwd {Quote(user)} | cut -d: -f6)");
            shell.Line("mkdir -p \"$home/.ssh\"");
            shell.Line("touch \"$home/.ssh/authorized_keys\"");
            foreach (var key in set.Keys)
                shell.Line(
                    $"grep -qxF {Quote(key)} \"$home/.ssh/authorized_keys\" || printf '%s\\n' {Quote(key)} >>\"$home/.ssh/authorized_keys\""
                );
            shell.Line($"chown -R {Quote(user)}: \"$home/.ssh\"");
            shell.Line("chmod 700 \"$home/.ssh\"; chmod 600 \"$home/.ssh/authorized_keys\"");
        }
        shell.Step("user");
    }

    private static void RemoteLogin(ShellSteps shell)
    {
        // Images are often given out without host keys, so that no two boards have the same; without them the server does not start.
        shell.Line("command -v ssh-keygen >/dev/null && ssh-keygen -A");
        shell.Enable("ssh", "sshd");
        shell.Step("remote_login");
    }

    private static void Locale(string locale, ShellSteps shell)
    {
        shell.Line("file=/etc/locale.conf; [ -d /etc/default ] && file=/etc/default/locale");
        if (GeneratedLocale(locale) is { } line)
        {
            shell.Line("if command -v locale-gen >/dev/null; then");
            shell.Line($"\tgrep -qxF {Quote(line)} /etc/locale.gen || printf '%s\\n' {Quote(line)} >>/etc/locale.gen");
            shell.Line("\tlocale-gen");
            shell.Line("fi");
        }
        shell.Line($"printf 'LANG=%s\\n' {Quote(locale)} >\"$file\"");
        shell.Step("locale");
    }

    /// <summary>The line of /etc/locale.gen that makes a locale; null for those that need not be made.</summary>
    public static string? GeneratedLocale(string locale) =>
        locale is "C" or "POSIX" or "C.UTF-8" or "C.utf8"
            ? null
            : $"{locale} {(locale.Split('.', '@') is [_, var set8, ..] ? set8 : "ISO-8859-1")}";

    private static void TimeZone(string zone, ShellSteps shell)
    {
        shell.Line($"[ -e {Quote("/usr/share/zoneinfo/" + zone)} ]");
        shell.Line($"ln -sfn {Quote("/usr/share/zoneinfo/" + zone)} /etc/localtime");
        shell.Line($"printf '%s\\n' {Quote(zone)} >/etc/timezone");
        shell.Step("time_zone");
    }

    private static void Keyboard(string layout, ShellSteps shell)
    {
        shell.Line("mkdir -p /etc/default");
        shell.Line(
            $"printf 'XKBMODEL=\"pc105\"\\nXKBLAYOUT=\"%s\"\\nXKBVARIANT=\"\"\\nXKBOPTIONS=\"\"\\n' {Quote(layout)} >/etc/default/keyboard"
        );
        shell.Step("keyboard");
    }

    private static void Wireless(WirelessNetwork radio, ShellSteps shell)
    {
        shell.Line("if command -v rfkill >/dev/null; then rfkill unblock wifi; fi");
        shell.Line($"if command -v iw >/dev/null; then iw reg set {Quote(radio.Country)}; fi");
        shell.File(
            "/etc/wpa_supplicant/wpa_supplicant-wlan0.conf",
            "0600",
            $"ctrl_interface=DIR=/run/wpa_supplicant\ncountry={radio.Country}\nnetwork={{\n\tssid={Convert.ToHexStringLower(Encoding.UTF8.GetBytes(radio.Name))}\n\tpsk={radio.Key}\n}}\n"
        );
        shell.File("/etc/systemd/network/25-wlan0.network", "0644", "[Match]\nName=wlan0\n\n[Network]\nDHCP=yes\n");
        shell.Enable("wpa_supplicant@wlan0");
        shell.Enable("systemd-networkd");
        shell.Step("wireless");
    }

    private static void Address(FixedAddress address, NetworkSetup network, bool resolver, ShellSteps shell)
    {
        switch (network)
        {
            case NetworkSetup.Ifupdown:
                // What is there for wired interfaces is laid aside: two settings of one interface fight each other.
                shell.Line("[ -e /etc/network/interfaces.before ] || cp /etc/network/interfaces /etc/network/interfaces.before");
                shell.Line(
                    "awk '$1 ~ /^(source|source-directory|mapping)$/ { off = 0; print; next } /^[ \\t]*(auto|allow-[a-z]+|iface)[ \\t]/ { off = 0; for (i = 2; i <= NF && ($1 != \"iface\" || i == 2); i++) if ($i ~ /^\\/?e/) off = 1 } { print (off ? \"# \" : \"\") $0 }' /etc/network/interfaces.before >/etc/network/interfaces.new"
                );
                shell.Line(
                    "grep -q '^[ \\t]*source.*interfaces\\.d' /etc/network/interfaces.new || echo 'source /etc/network/interfaces.d/*' >>/etc/network/interfaces.new"
                );
                shell.Line("mv /etc/network/interfaces.new /etc/network/interfaces");
                shell.File(NetworkFiles.OfIfupdown, "0644", NetworkFiles.Ifupdown(address));
                shell.Line("if [ -d /run/systemd/system ]; then systemctl restart networking; else /etc/init.d/networking restart; fi");
                break;
            case NetworkSetup.Netplan:
                shell.File("/etc/netplan/90-first-boot.yaml", "0600", NetworkFiles.Netplan(address));
                shell.Line("netplan apply");
                break;
            default:
                shell.File("/etc/systemd/network/10-first-boot.network", "0644", NetworkFiles.Networkd(address));
                shell.Enable("systemd-networkd");
                // It may run already, with what it read before.
                shell.Line("systemctl --no-block restart systemd-networkd");
                break;
        }
        if (!resolver && address.NameServers.Count > 0)
            shell.File("/etc/resolv.conf", "0644", string.Concat(address.NameServers.Select(n => $"nameserver {n}\n")));
        shell.Step("address");
    }

    private static void OfRecipes(FirstBoot set, IReadOnlyList<RecipeStep> steps, ShellSteps shell)
    {
        foreach (var step in steps.Where(s => s.Action == RecipeAction.Create))
        {
            shell.File(step.Subject, step.Mode ?? "0644", step.Value ?? "");
            shell.Step("file", several: true);
        }
        if (Packages(set, steps) is { Count: > 0 } packages)
        {
            shell.Line("apt-get update");
            shell.Line($"apt-get install -y {string.Join(' ', packages.Select(Quote))}");
            shell.Step("packages");
        }
        foreach (var service in steps.Subjects(RecipeAction.Enable))
        {
            shell.Enable(service);
            shell.Step("service", several: true);
        }
        var everyBoot = steps.Subjects(RecipeAction.EveryBoot).ToList();
        if (everyBoot.Count > 0)
        {
            shell.File("/usr/local/sbin/every-boot", "0755", "#!/bin/sh\n" + string.Join('\n', everyBoot) + "\n");
            shell.File(
                "/etc/systemd/system/every-boot.service",
                "0644",
                "[Unit]\nDescription=Commands of every boot\n\n[Service]\nType=oneshot\nExecStart=/usr/local/sbin/every-boot\n\n[Install]\nWantedBy=multi-user.target\n"
            );
            shell.Line("systemctl daemon-reload");
            shell.Enable("every-boot");
            shell.Step("every_boot");
        }
        foreach (var command in set.Commands.Concat(steps.Subjects(RecipeAction.FirstBoot)))
        {
            shell.Line($"sh -c {Quote(command)}");
            shell.Step("command", several: true);
        }
    }

    private static string End(IReadOnlyList<string> names) =>
        $"""
            # The unit is taken out; the script stays only where a step failed, to be looked at: it holds what was set.
            : >"$state/done"
            sync
            rm -f {WantPath}
            rmdir {WantPath[..WantPath.LastIndexOf('/')]} 2>/dev/null
            cd "$state" || exit 1
            wrong=
            for step in {string.Join(' ', names)}; do
            	[ "$(cat "$step")" = 0 ] || wrong="$wrong $step"
            done
            if [ -n "$wrong" ]; then
            	echo "firstboot: FAILED:$wrong. Look at: journalctl -u firstboot. Once more: rm -r $state; sh $0"
            	exit 1
            fi
            rm -f {UnitPath} "$0"
            sync
            echo "firstboot: all steps are done"

            """;

    private static List<string> Packages(FirstBoot set, IReadOnlyList<RecipeStep> steps) =>
        [.. set.Packages.Concat(steps.Subjects(RecipeAction.Install)).Distinct()];
}
