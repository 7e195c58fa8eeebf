using System.Globalization;
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
    ];

    /// <summary><c>user-data</c>: users, keys, names, packages, files and commands.</summary>
    public static string UserData(FirstBoot set, IReadOnlyList<RecipeStep> steps)
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
        if (set.Locale is { } locale)
            map["locale"] = locale;
        if (set.TimeZone is { } zone)
            map["timezone"] = zone;
        if (set.Keyboard is { } layout)
            map["keyboard"] = new Dictionary<string, object> { ["layout"] = layout };
        var packages = set.Packages.Concat(steps.Subjects(RecipeAction.Install)).Distinct().ToList();
        if (packages.Count > 0)
        {
            map["package_update"] = true;
            map["packages"] = packages;
        }
        var files = steps
            .Where(s => s.Action == RecipeAction.Create)
            .Select(s => new Dictionary<string, object>
            {
                ["path"] = s.Subject,
                ["permissions"] = s.Mode ?? "0644",
                ["content"] = s.Value ?? "",
            })
            .ToList();
        if (files.Count > 0)
            map["write_files"] = files;
        var everyBoot = steps.Subjects(RecipeAction.EveryBoot).ToList();
        if (everyBoot.Count > 0)
            map["bootcmd"] = everyBoot;
        var commands = steps
            .Subjects(RecipeAction.Enable)
            .Select(s => $"systemctl enable --now {FirstBootScript.Quote(s)}")
            .Concat(set.RemoteLogin ? ["systemctl enable --now ssh"] : [])
            .Concat(set.Commands)
            .Concat(steps.Subjects(RecipeAction.FirstBoot))
            .ToList();
        if (commands.Count > 0)
            map["runcmd"] = commands;
        return "#cloud-config\n" + Write(map);
    }

    /// <summary><c>network-config</c>, version 2; null when the network stays as the image has it.</summary>
    public static string? NetworkConfig(FirstBoot set)
    {
        var map = new Dictionary<string, object> { ["version"] = 2 };
        var wired = new Dictionary<string, object>();
        if (set.Address is { } address)
        {
            var link = new Dictionary<string, object> { ["dhcp4"] = false, ["addresses"] = new[] { address.Address } };
            if (address.Gateway is { } gate)
                link["routes"] = new[]
                {
                    new Dictionary<string, object> { ["to"] = "default", ["via"] = gate },
                };
            if (address.NameServers.Count > 0)
                link["nameservers"] = new Dictionary<string, object> { ["addresses"] = address.NameServers };
            wired[address.Interface] = link;
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

    /// <summary><c>meta-data</c>: a new instance id makes cloud-init run again when the files changed.</summary>
    public static string MetaData(string? hostName, string mark)
    {
        var map = new Dictionary<string, object> { ["instance-id"] = $"buttonhook-{mark}" };
        if (hostName is not null)
            map["local-hostname"] = hostName.Split('.')[0];
        return Write(map);
    }
}
