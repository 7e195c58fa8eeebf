using System.Text;

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
    public static IReadOnlyList<RenderedFile> ForSystemd(FirstBoot set, IReadOnlyList<RecipeStep> steps)
    {
        var online = Packages(set, steps).Count > 0 ? "Wants=network-online.target\nAfter=network-online.target\n" : "";
        return
        [
            new(FilePlace.Root, OnRoot, null, Of(set, steps), "0700"),
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
    public static string Of(FirstBoot set, IReadOnlyList<RecipeStep> steps)
    {
        var text = new StringBuilder(
            $$"""
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

            """
        );
        var names = new List<string>();
        var body = new List<string>();
        void Line(string line) => body.Add(line);
        // Names end in a number where there may be several; a function called command would hide the shell's own.
        void Step(string name, bool several = false)
        {
            var unique = several ? $"{name}_{names.Count(n => n.StartsWith(name + "_", StringComparison.Ordinal)) + 1}" : name;
            names.Add(unique);
            text.Append(unique).Append("() {\n");
            foreach (var line in body)
                text.Append('\t').Append(line).Append('\n');
            text.Append("}\n");
            body.Clear();
        }
        if (set.HostName is { } host)
        {
            Line($"printf '%s\\n' {Quote(host)} >/etc/hostname");
            Line($"hostname {Quote(host)} 2>/dev/null || printf '%s' {Quote(host)} >/proc/sys/kernel/hostname");
            Line("[ -e /etc/hosts ] || printf '127.0.0.1\\tlocalhost\\n' >/etc/hosts");
            Line("sed -i '/^127\\.0\\.1\\.1[[:space:]]/d' /etc/hosts");
            Line($"printf '127.0.1.1\\t%s\\n' {Quote(host)} >>/etc/hosts");
            Step("host_name");
        }
        if (set.User is { } user)
        {
            Line("shell=/bin/sh; [ -x /bin/bash ] && shell=/bin/bash");
            Line($"id {Quote(user)} >/dev/null 2>&1 || useradd -m -s \"$shell\" {Quote(user)}");
            Line("for group in sudo adm dialout; do");
            Line($"\tif getent group \"$group\" >/dev/null; then usermod -a -G \"$group\" {Quote(user)}; fi");
            Line("done");
            if (set.PasswordHash is { } hash)
                Line($"usermod -p {Quote(hash)} {Quote(user)}");
            if (set.Keys.Count > 0)
            {
                Line($"home=$(getent passwd {Quote(user)} | cut -d: -f6)");
                Line("mkdir -p \"$home/.ssh\"");
                Line("touch \"$home/.ssh/authorized_keys\"");
                foreach (var key in set.Keys)
                    Line(
                        $"grep -qxF {Quote(key)} \"$home/.ssh/authorized_keys\" || printf '%s\\n' {Quote(key)} >>\"$home/.ssh/authorized_keys\""
                    );
                Line($"chown -R {Quote(user)}: \"$home/.ssh\"");
                Line("chmod 700 \"$home/.ssh\"; chmod 600 \"$home/.ssh/authorized_keys\"");
            }
            Step("user");
        }
        if (set.RemoteLogin)
        {
            Line("systemctl enable ssh 2>/dev/null || systemctl enable sshd");
            Line("systemctl --no-block start ssh 2>/dev/null || systemctl --no-block start sshd");
            Step("remote_login");
        }
        if (set.Locale is { } locale)
        {
            Line("file=/etc/locale.conf; [ -d /etc/default ] && file=/etc/default/locale");
            Line($"if command -v locale-gen >/dev/null; then");
            Line($"\tgrep -q {Quote("^" + locale.Replace(".", "\\.", StringComparison.Ordinal) + " ")} /etc/locale.gen ||");
            Line(
                $"\t\tprintf '%s %s\\n' {Quote(locale)} {Quote(locale.Split('.', '@') is [_, var set8, ..] ? set8 : "ISO-8859-1")} >>/etc/locale.gen"
            );
            Line("\tlocale-gen");
            Line("fi");
            Line($"printf 'LANG=%s\\n' {Quote(locale)} >\"$file\"");
            Step("locale");
        }
        if (set.TimeZone is { } zone)
        {
            Line($"[ -e {Quote("/usr/share/zoneinfo/" + zone)} ]");
            Line($"ln -sfn {Quote("/usr/share/zoneinfo/" + zone)} /etc/localtime");
            Line($"printf '%s\\n' {Quote(zone)} >/etc/timezone");
            Step("time_zone");
        }
        if (set.Keyboard is { } layout)
        {
            Line("mkdir -p /etc/default");
            Line(
                $"printf 'XKBMODEL=\"pc105\"\\nXKBLAYOUT=\"%s\"\\nXKBVARIANT=\"\"\\nXKBOPTIONS=\"\"\\n' {Quote(layout)} >/etc/default/keyboard"
            );
            Step("keyboard");
        }
        if (set.Wireless is { } radio)
        {
            Line("if command -v rfkill >/dev/null; then rfkill unblock wifi; fi");
            Line($"if command -v iw >/dev/null; then iw reg set {Quote(radio.Country)}; fi");
            File(
                "/etc/wpa_supplicant/wpa_supplicant-wlan0.conf",
                "0600",
                $"ctrl_interface=DIR=/run/wpa_supplicant\ncountry={radio.Country}\nnetwork={{\n\tssid={Convert.ToHexStringLower(Encoding.UTF8.GetBytes(radio.Name))}\n\tpsk={radio.Key}\n}}\n"
            );
            File("/etc/systemd/network/25-wlan0.network", "0644", "[Match]\nName=wlan0\n\n[Network]\nDHCP=yes\n");
            Enable("wpa_supplicant@wlan0");
            Enable("systemd-networkd");
            Step("wireless");
        }
        if (set.Address is { } address)
        {
            var network = new StringBuilder($"[Match]\nName={address.Interface}\n\n[Network]\nAddress={address.Address}\n");
            if (address.Gateway is { } gate)
                network.Append("Gateway=").Append(gate).Append('\n');
            foreach (var server in address.NameServers)
                network.Append("DNS=").Append(server).Append('\n');
            File($"/etc/systemd/network/20-{address.Interface}.network", "0644", network.ToString());
            Enable("systemd-networkd");
            Step("address");
        }
        foreach (var step in steps.Where(s => s.Action == RecipeAction.Create))
        {
            File(step.Subject, step.Mode ?? "0644", step.Value ?? "");
            Step("file", several: true);
        }
        if (Packages(set, steps) is { Count: > 0 } packages)
        {
            Line("apt-get update");
            Line($"apt-get install -y {string.Join(' ', packages.Select(Quote))}");
            Step("packages");
        }
        foreach (var service in steps.Subjects(RecipeAction.Enable))
        {
            Enable(service);
            Step("service", several: true);
        }
        var everyBoot = steps.Subjects(RecipeAction.EveryBoot).ToList();
        if (everyBoot.Count > 0)
        {
            File("/usr/local/sbin/every-boot", "0755", "#!/bin/sh\n" + string.Join('\n', everyBoot) + "\n");
            File(
                "/etc/systemd/system/every-boot.service",
                "0644",
                "[Unit]\nDescription=Commands of every boot\n\n[Service]\nType=oneshot\nExecStart=/usr/local/sbin/every-boot\n\n[Install]\nWantedBy=multi-user.target\n"
            );
            Line("systemctl daemon-reload");
            Enable("every-boot");
            Step("every_boot");
        }
        foreach (var command in set.Commands.Concat(steps.Subjects(RecipeAction.FirstBoot)))
        {
            Line($"sh -c {Quote(command)}");
            Step("command", several: true);
        }
        foreach (var name in names)
            text.Append("once ").Append(name).Append('\n');
        text.Append(
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

            """
        );
        return text.ToString();

        void Enable(string service)
        {
            Line($"systemctl enable {Quote(service)}");
            Line($"systemctl --no-block start {Quote(service)}");
        }

        void File(string path, string mode, string content)
        {
            Line($"mkdir -p {Quote(path[..Math.Max(1, path.LastIndexOf('/'))])}");
            Line($"printf '%s' {Quote(content)} >{Quote(path)}");
            Line($"chmod {mode} {Quote(path)}");
        }
    }

    private static List<string> Packages(FirstBoot set, IReadOnlyList<RecipeStep> steps) =>
        [.. set.Packages.Concat(steps.Subjects(RecipeAction.Install)).Distinct()];
}
