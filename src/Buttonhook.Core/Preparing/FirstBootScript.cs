using System.Text;

namespace Buttonhook.Core.Preparing;

/// <summary>The first-boot script for systems without cloud-init: POSIX sh, run once by <c>systemd.run=</c> (systemd-debug-generator(8)) or by hand.</summary>
public static class FirstBootScript
{
    /// <summary>A word for the shell, whatever it holds (POSIX, 2.2.2 single quotes).</summary>
    public static string Quote(string text) => $"'{text.Replace("'", "'\\''", StringComparison.Ordinal)}'";

    /// <summary>The script.</summary>
    public static string Of(FirstBoot set, IReadOnlyList<RecipeStep> steps)
    {
        var text = new StringBuilder(
            "#!/bin/sh\n# Written by Buttonhook; runs once, as root.\ndone=/var/lib/firstboot.done\n[ -e \"$done\" ] && exit 0\n"
        );
        void Line(string line) => text.Append(line).Append('\n');
        if (set.HostName is { } host)
        {
            Line($"printf '%s\\n' {Quote(host)} >/etc/hostname");
            Line($"hostname {Quote(host)}");
            Line("sed -i '/^127\\.0\\.1\\.1/d' /etc/hosts");
            Line($"printf '127.0.1.1\\t%s\\n' {Quote(host)} >>/etc/hosts");
        }
        if (set.User is { } user)
        {
            Line($"id {Quote(user)} >/dev/null 2>&1 || useradd -m -s /bin/sh {Quote(user)}");
            Line($"for group in sudo adm dialout; do usermod -a -G \"$group\" {Quote(user)} 2>/dev/null; done");
            if (set.PasswordHash is { } hash)
                Line($"usermod -p {Quote(hash)} {Quote(user)}");
            if (set.Keys.Count > 0)
            {
                Line($"home=$(getent passwd {Quote(user)} | cut -d: -f6)");
                Line("mkdir -p \"$home/.ssh\"");
                foreach (var key in set.Keys)
                    Line($"printf '%s\\n' {Quote(key)} >>\"$home/.ssh/authorized_keys\"");
                Line($"chown -R {Quote(user)}: \"$home/.ssh\"");
                Line("chmod 700 \"$home/.ssh\"; chmod 600 \"$home/.ssh/authorized_keys\"");
            }
        }
        if (set.RemoteLogin)
            Line("systemctl enable --now ssh 2>/dev/null || systemctl enable --now sshd");
        if (set.Locale is { } locale)
            Line($"localectl set-locale LANG={Quote(locale)}");
        if (set.TimeZone is { } zone)
            Line($"ln -sf {Quote("/usr/share/zoneinfo/" + zone)} /etc/localtime");
        if (set.Keyboard is { } layout)
            Line($"localectl set-x11-keymap {Quote(layout)}");
        if (set.Wireless is { } radio)
        {
            Line("rfkill unblock wifi 2>/dev/null");
            Line($"iw reg set {radio.Country} 2>/dev/null");
            File(
                "/etc/wpa_supplicant/wpa_supplicant-wlan0.conf",
                "0600",
                $"ctrl_interface=DIR=/run/wpa_supplicant\ncountry={radio.Country}\nnetwork={{\n\tssid={Convert.ToHexStringLower(Encoding.UTF8.GetBytes(radio.Name))}\n\tpsk={radio.Key}\n}}\n"
            );
            File("/etc/systemd/network/25-wlan0.network", "0644", "[Match]\nName=wlan0\n\n[Network]\nDHCP=yes\n");
            Line("systemctl enable --now wpa_supplicant@wlan0 systemd-networkd");
        }
        if (set.Address is { } address)
        {
            var network = new StringBuilder($"[Match]\nName={address.Interface}\n\n[Network]\nAddress={address.Address}\n");
            if (address.Gateway is { } gate)
                network.Append("Gateway=").Append(gate).Append('\n');
            foreach (var server in address.NameServers)
                network.Append("DNS=").Append(server).Append('\n');
            File($"/etc/systemd/network/20-{address.Interface}.network", "0644", network.ToString());
            Line("systemctl enable --now systemd-networkd");
        }
        foreach (var step in steps.Where(s => s.Action == RecipeAction.Create))
            File(step.Subject, step.Mode ?? "0644", step.Value ?? "");
        var packages = set.Packages.Concat(steps.Subjects(RecipeAction.Install)).Distinct().ToList();
        if (packages.Count > 0)
            Line($"apt-get update && apt-get install -y {string.Join(' ', packages.Select(Quote))}");
        foreach (var service in steps.Subjects(RecipeAction.Enable))
            Line($"systemctl enable --now {Quote(service)}");
        var everyBoot = steps.Subjects(RecipeAction.EveryBoot).ToList();
        if (everyBoot.Count > 0)
        {
            File("/usr/local/sbin/every-boot", "0755", "#!/bin/sh\n" + string.Join('\n', everyBoot) + "\n");
            File(
                "/etc/systemd/system/every-boot.service",
                "0644",
                "[Unit]\nDescription=Commands of every boot\n\n[Service]\nType=oneshot\nExecStart=/usr/local/sbin/every-boot\n\n[Install]\nWantedBy=multi-user.target\n"
            );
            Line("systemctl enable --now every-boot");
        }
        foreach (var command in set.Commands.Concat(steps.Subjects(RecipeAction.FirstBoot)))
            Line(command);
        Line("touch \"$done\"");
        return text.ToString();

        void File(string path, string mode, string content)
        {
            Line($"mkdir -p {Quote(path[..Math.Max(1, path.LastIndexOf('/'))])}");
            Line($"printf '%s' {Quote(content)} >{Quote(path)}");
            Line($"chmod {mode} {Quote(path)}");
        }
    }
}
