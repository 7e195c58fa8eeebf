using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Identifying;

/// <summary>Where a system can lie, from a device tree (bindings mmc/mmc-controller.yaml, mtd, ata, pci).</summary>
public static class TreeMedia
{
    private static readonly string[] CardHosts =
    [
        "sdhci",
        "mshc",
        "-mmc",
        "mmci",
        "sdhi",
        "esdhc",
        "usdhc",
        "hsmmc",
        "pl18",
        "sd4hc",
        "sdmmc",
        "-sdio",
        "mmc-",
    ];

    private static readonly HashSet<string> CardHostNames =
    [
        "mmc",
        "sdhci",
        "sdmmc",
        "sdhc",
        "esdhc",
        "usdhc",
        "emmc",
        "sdio",
        "mshc",
        "dwmmc",
        "sd",
    ];

    // Parts of card hosts that are none themselves.
    private static readonly string[] Beside = ["phy", "clk", "clock", "pwrseq", "mmc-card"];

    /// <summary>Whether a node is a host for cards and soldered flash.</summary>
    public static bool IsCardHost(TreeNode node)
    {
        if (node.Compatible.Count == 0 || !node.Has("reg"))
            return false;
        bool Is(string[] parts) => node.Compatible.Any(c => Array.Exists(parts, p => c.Contains(p, StringComparison.Ordinal)));
        return (CardHostNames.Contains(node.Kind) || Is(CardHosts)) && !Is(Beside);
    }

    /// <summary>Whether a node is a host for SATA drives.</summary>
    public static bool IsSata(TreeNode node) => node.Kind == "sata" && node.Compatible.Count > 0;

    /// <summary>Whether a node is a PCI host, and no bridge behind one.</summary>
    public static bool IsPci(TreeNode node) =>
        node.Text("device_type") == "pci" && node.Parent?.Text("device_type") != "pci" && node.Compatible.Count > 0;

    /// <summary>Slots, soldered memory and drives that are switched on, in the order of the tree.</summary>
    public static IReadOnlyList<TreeMedium> Of(DeviceTree tree)
    {
        var found = new List<TreeMedium>();
        foreach (var node in tree.Nodes.Where(n => n.IsOn))
        {
            if (IsCardHost(node))
            {
                // Since Linux 5.10 the number of a host is that of its alias (drivers/mmc/core/host.c).
                if (KindOf(node) is { } kind)
                    found.Add(new(kind, tree.AliasNumber(node, "mmc") is { } n ? $"mmcblk{n}" : null, node.Path));
            }
            else if (node.Compatible.Contains("jedec,spi-nor"))
                found.Add(new("nor", null, node.Path));
            else if (node.Kind is "nand" or "nand-controller" && node.Compatible.Count > 0)
                found.Add(new("nand", null, node.Path));
            else if (IsSata(node))
                found.Add(new("sata", null, node.Path));
            else if (IsPci(node))
                found.Add(new("pcie", null, node.Path));
        }
        return found;
    }

    /// <summary>card, flash, mmc when the tree does not say which, or null for a radio.</summary>
    private static string? KindOf(TreeNode host)
    {
        var radio = host.Children.Any(c => c.Kind is "wifi" or "wlan" or "bluetooth" or "brcmf" or "mwifiex" or "wlcore");
        if (radio || host.Has("cap-sdio-irq") && host.Has("non-removable") || host.Has("no-sd") && host.Has("no-mmc"))
            return null;
        if (host.Has("non-removable"))
            return "flash";
        if (
            host.Has("cd-gpios")
            || host.Has("cd-inverted")
            || host.Has("broken-cd")
            || host.Has("wp-gpios")
            || host.Has("disable-wp")
            || host.Has("no-mmc")
        )
            return "card";
        return host.Has("no-sd") || host.Has("mmc-hs400-1_8v") ? "flash" : "mmc";
    }
}
