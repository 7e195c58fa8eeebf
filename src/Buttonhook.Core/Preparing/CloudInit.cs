using System.Globalization;
using Buttonhook.Core.Images.Judging;
using YamlDotNet.Core;
using YamlDotNet.RepresentationModel;

namespace Buttonhook.Core.Preparing;

/// <summary>The files of cloud-init's NoCloud source (cloud-init documentation, modules reference and network config version 2).</summary>
public static class CloudInit
{
    /// <summary>
    /// cloud-init reads YAML 1.1, in which no, on, 12:30:45, 0x1F, 1e3 and 2024-01-02 are booleans, numbers and dates: every string stands in
    /// double quotes, names of keys that are our own excepted.
    /// </summary>
    private static string Write(IReadOnlyDictionary<string, object> map)
    {
        var text = new StringWriter { NewLine = "\n" };
        new YamlStream(new YamlDocument(Node(map))).Save(new Emitter(text, new EmitterSettings().WithBestWidth(int.MaxValue)), false);
        var written = text.ToString();
        return written.EndsWith("...\n", StringComparison.Ordinal) ? written[..^4] : written;
    }

    private static YamlNode Node(object value) =>
        value switch
        {
            string text => Quoted(text),
            bool yes => new YamlScalarNode(yes ? "true" : "false"),
            int number => new YamlScalarNode(number.ToString(CultureInfo.InvariantCulture)),
            IReadOnlyDictionary<string, object> map => new YamlMappingNode(
                map.Select(p =>
                    KeyValuePair.Create<YamlNode, YamlNode>(
                        OwnKeys.Contains(p.Key) ? new YamlScalarNode(p.Key) : Quoted(p.Key),
                        Node(p.Value)
                    )
                )
            ),
            IEnumerable<object> list => new YamlSequenceNode(list.Select(Node)),
            _ => throw new ArgumentOutOfRangeException(nameof(value), value, "no value of a first-boot file"),
        };

    private static YamlScalarNode Quoted(string text) => new(text) { Style = ScalarStyle.DoubleQuoted };

    private static readonly HashSet<string> OwnKeys =
    [
        .. "hostname fqdn manage_etc_hosts users name groups shell sudo lock_passwd passwd ssh_authorized_keys ssh_pwauth locale timezone".Split(
            ' '
        ),
        .. "keyboard layout package_update packages write_files path permissions content bootcmd runcmd version dhcp4 optional addresses".Split(
            ' '
        ),
        .. "routes to via nameservers ethernets wifis access-points password regulatory-domain instance-id local-hostname".Split(' '),
        .. "match gateway4 gateway6 append network config".Split(' '),
    ];

    /// <summary><c>user-data</c>: users, keys, names, packages, files and commands.</summary>
    /// <param name="root">What the image has; null when that is not known, and then everything is asked for.</param>
    public static string UserData(FirstBoot set, IReadOnlyList<RecipeStep> steps, RootSystem? root)
    {
        var map = new Dictionary<string, object>();
        if (set.HostName is { } host)
        {
            map["hostname"] = host.Split('.')[0];
            if (host.Contains('.'))
                map["fqdn"] = host;
            map["manage_etc_hosts"] = true;
        }
        if (set.User is { } name)
        {
            var user = new Dictionary<string, object>
            {
                ["name"] = name,
                ["groups"] = "sudo,adm,dialout",
                ["shell"] = "/bin/bash",
                ["sudo"] = "ALL=(ALL) ALL",
                ["lock_passwd"] = set.PasswordHash is null,
            };
            if (set.PasswordHash is { } hash)
                user["passwd"] = hash;
            if (set.Keys.Count > 0)
                user["ssh_authorized_keys"] = set.Keys;
            map["users"] = new[] { user };
        }
        if (set.RemoteLogin)
            map["ssh_pwauth"] = set.Keys.Count == 0;
        var generated = set.Locale is { } wanted && FirstBootScript.GeneratedLocale(wanted) is { } line ? line : null;
        if (set.Locale is { } locale && (root?.LocaleTools != false || generated is null))
            map["locale"] = locale;
        if (set.TimeZone is { } zone)
            map["timezone"] = zone;
        if (set.Keyboard is { } layout && root?.KeyboardTools != false)
            map["keyboard"] = new Dictionary<string, object> { ["layout"] = layout };
        var packages = set.Packages.Concat(steps.Subjects(RecipeAction.Install)).Distinct().ToList();
        if (packages.Count > 0)
        {
            map["package_update"] = true;
            map["packages"] = packages;
        }
        var files = steps
            .Where(s => s.Action == RecipeAction.Create)
            .Select(s => File(s.Subject, s.Value ?? "", s.Mode ?? "0644"))
            .ToList();
        // locale-gen of Debian makes what stands in this file, whatever it is asked for; files are written before locales are set.
        if (generated is not null && root?.LocaleTools == true)
            files.Add(new(File("/etc/locale.gen", generated + "\n", "0644")) { ["append"] = true });
        // Where nothing takes name servers from the network's settings, they stand where every program looks.
        if (set.Address is { NameServers: { Count: > 0 } servers } && root?.Resolver == false)
            files.Add(File("/etc/resolv.conf", string.Concat(servers.Select(n => $"nameserver {n}\n")), "0644"));
        if (files.Count > 0)
            map["write_files"] = files;
        var everyBoot = steps.Subjects(RecipeAction.EveryBoot).ToList();
        if (everyBoot.Count > 0)
            map["bootcmd"] = everyBoot;
        var commands = steps
            .Subjects(RecipeAction.Enable)
            .Select(s => $"systemctl enable --now {FirstBootScript.Quote(s)}")
            .Concat(
                set.RemoteLogin && (root?.SshServer != false || packages.Contains("openssh-server")) ? ["systemctl enable --now ssh"] : []
            )
            .Concat(set.Commands)
            .Concat(steps.Subjects(RecipeAction.FirstBoot))
            .ToList();
        if (commands.Count > 0)
            map["runcmd"] = commands;
        return "#cloud-config\n" + Write(map);
    }

    private static Dictionary<string, object> File(string path, string content, string mode) =>
        new()
        {
            ["path"] = path,
            ["permissions"] = mode,
            ["content"] = content,
        };

    /// <summary>
    /// <c>network-config</c>, version 2; null when the network stays as the image has it. A gateway stands as gateway4 and gateway6, which all
    /// packaged versions read (22.4 ends with ValueError at a route to "default", and makes ::/64 of ::/0); for netplan, which is given it
    /// as it is and calls those words deprecated, it stands as routes.
    /// </summary>
    public static string? NetworkConfig(FirstBoot set, NetworkSetup network)
    {
        var map = new Dictionary<string, object> { ["version"] = 2 };
        var wired = new Dictionary<string, object>();
        if (set.Address is { } address && !ByFile(set, network) && (address.Interface.Length > 0 || network != NetworkSetup.Unknown))
        {
            // The name is a pattern to systemd-networkd by the name itself, and to netplan by its match alone: it takes no pattern for a name.
            var netplan = network == NetworkSetup.Netplan;
            var link = new Dictionary<string, object>();
            if (address.Interface.Length == 0 && netplan)
                link["match"] = new Dictionary<string, object> { ["name"] = address.Match };
            link["dhcp4"] = false;
            link["addresses"] = address.Addresses;
            if (netplan && address.Gateways.Count > 0)
                link["routes"] = address
                    .Gateways.Select(g => new Dictionary<string, object>
                    {
                        ["to"] = FixedAddress.IsV6(g) ? "::/0" : "0.0.0.0/0",
                        ["via"] = g,
                    })
                    .ToList();
            else
                foreach (var gate in address.Gateways)
                    link[FixedAddress.IsV6(gate) ? "gateway6" : "gateway4"] = gate;
            if (address.NameServers.Count > 0)
                link["nameservers"] = new Dictionary<string, object> { ["addresses"] = address.NameServers };
            wired[address.Interface.Length == 0 && netplan ? "wired" : address.Match] = link;
        }
        if (set.UsbNetwork && !wired.ContainsKey("usb0"))
            wired["usb0"] = new Dictionary<string, object> { ["dhcp4"] = true, ["optional"] = true };
        if (wired.Count > 0)
            map["ethernets"] = wired;
        if (set.Wireless is { } radio)
            map["wifis"] = new Dictionary<string, object>
            {
                ["wlan0"] = new Dictionary<string, object>
                {
                    ["dhcp4"] = true,
                    ["optional"] = true,
                    ["regulatory-domain"] = radio.Country,
                    ["access-points"] = new Dictionary<string, object>
                    {
                        [radio.Name] = new Dictionary<string, object> { ["password"] = radio.Key },
                    },
                },
            };
        return map.Count > 1 ? Write(map) : null;
    }

    /// <summary>Whether the address is set by a file of the system itself: cloud-init names an interface to ifupdown, and here none is named.</summary>
    public static bool ByFile(FirstBoot set, NetworkSetup network) =>
        set.Address is { Interface.Length: 0 } && network == NetworkSetup.Ifupdown;

    /// <summary>Tells cloud-init to leave the network alone (cloud-init documentation, "Disabling network configuration").</summary>
    public static string NoNetwork =>
        Write(new Dictionary<string, object> { ["network"] = new Dictionary<string, object> { ["config"] = "disabled" } });

    /// <summary><c>meta-data</c>: a new instance id makes cloud-init run again when the files changed.</summary>
    public static string MetaData(string? hostName, string mark)
    {
        var map = new Dictionary<string, object> { ["instance-id"] = $"buttonhook-{mark}" };
        if (hostName is not null)
            map["local-hostname"] = hostName.Split('.')[0];
        return Write(map);
    }
}
