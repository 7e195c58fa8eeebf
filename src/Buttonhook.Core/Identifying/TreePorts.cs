using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Identifying;

/// <summary>Ports, buttons and radios that a device tree describes and does not switch off.</summary>
public static class TreePorts
{
    /// <summary>All of them, in the order of the tree.</summary>
    /// <param name="console">The device of the console, which is told apart; null when the tree names none.</param>
    public static IReadOnlyList<TreePort> Of(DeviceTree tree, string? console)
    {
        var ports = new List<TreePort>();
        void Add(string kind, string name, string? device, TreeNode node) => ports.Add(new(kind, name, device, node.Path));
        foreach (var node in tree.Nodes)
        {
            if (node.Path == "/" || !node.IsOn)
                continue;
            var label = node.Text("label");
            if (SerialDrivers.IsPort(node))
            {
                var device = SerialDrivers.DeviceOf(tree, node, out var byOrder);
                if (device != console)
                    Add("serial", AliasOf(tree, node) ?? node.Name, byOrder ? null : device, node);
            }
            else if (IsEthernet(node))
                Add("ethernet", label ?? AliasOf(tree, node) ?? node.Name, null, node);
            else if (UsbKind(node) is { } usb)
                Add(usb, label ?? node.Name, null, node);
            else if (node.Compatible.Any(c => c.EndsWith("-connector", StringComparison.Ordinal)))
                Connector(node, label, Add);
            else if (
                node.Parent is { } keys
                && keys.Compatible.Any(c => c is "gpio-keys" or "gpio-keys-polled" or "adc-keys")
                && node.Has("linux,code")
            )
                Add("button", label ?? node.Name, null, node);
            else if (node.Kind is "wifi" or "wlan")
                Add("wireless", label ?? node.Name, null, node);
            else if (node.Kind == "bluetooth")
                Add("bluetooth", label ?? node.Name, null, node);
            else if (node.Kind is "can" or "flexcan" && node.Has("compatible") && node.Has("reg"))
                Add("can", AliasOf(tree, node) ?? node.Name, null, node);
            else if (node.Kind is "watchdog" or "wdt" && node.Compatible.Count > 0)
                Add("watchdog", node.Name, null, node);
            else if (node.Kind == "sound" && node.Compatible.Count > 0)
                Add("audio", node.Text("simple-audio-card,name") ?? node.Text("model") ?? node.Name, null, node);
            else if (TreeMedia.IsSata(node))
                Add("sata", node.Name, null, node);
            else if (TreeMedia.IsPci(node))
                Add("pcie", node.Name, null, node);
        }
        return ports;
    }

    private static void Connector(TreeNode node, string? label, Action<string, string, string?, TreeNode> add)
    {
        var kind = node.Compatible[0];
        if (kind.StartsWith("usb-", StringComparison.Ordinal))
            return;
        var plug =
            kind.StartsWith("hdmi", StringComparison.Ordinal) ? "HDMI"
            : kind.StartsWith("dp", StringComparison.Ordinal) ? "DisplayPort"
            : kind.StartsWith("vga", StringComparison.Ordinal) ? "VGA"
            : kind.StartsWith("dvi", StringComparison.Ordinal) ? "DVI"
            : kind.StartsWith("composite", StringComparison.Ordinal) || kind.StartsWith("svideo", StringComparison.Ordinal)
                ? "composite video"
            : null;
        if (plug is not null)
            add("video", label is null ? plug : $"{plug} ({label})", null, node);
    }

    private static bool IsEthernet(TreeNode node) =>
        node.Has("phy-mode")
        || node.Has("phy-connection-type")
        || node.Kind == "ethernet"
            && node.Compatible.Count > 0
            && (node.Has("phy-handle") || node.Has("reg") && node.Parent?.Kind is not "mdio");

    private static string? UsbKind(TreeNode node)
    {
        if (node.Kind is "usb-phy" or "usbphy" or "phy")
            return null;
        bool Is(params string[] parts) => node.Compatible.Any(c => parts.Any(p => c.Contains(p, StringComparison.Ordinal)));
        if (node.Text("dr_mode") is { } role)
            return role switch
            {
                "host" => "usb-host",
                "peripheral" => "usb-device",
                _ => "usb-either",
            };
        // The slow half of a pair stands beside the fast one and is the same socket.
        if (Is("ohci", "uhci"))
            return null;
        return Is("ehci", "xhci") ? "usb-host"
            : Is("snps,dwc3", "snps,dwc2", "musb", "chipidea", "-usb2") && node.Kind is "usb" or "dwc3" ? "usb-either"
            : null;
    }

    private static string? AliasOf(DeviceTree tree, TreeNode node) => tree.AliasesOf(node).FirstOrDefault();
}
