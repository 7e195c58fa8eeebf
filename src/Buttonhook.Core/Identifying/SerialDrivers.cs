using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Identifying;

/// <summary>
/// How Linux names the serial port of a device-tree node: the name that its driver gives (the <c>dev_name</c> of each driver in
/// drivers/tty/serial of the kernel, the driver chosen by its table of compatible names), and the number of its alias.
/// </summary>
public static class SerialDrivers
{
    private const string Alias = "serial";

    // The first entry that a compatible name begins with counts; the longest stand first where one begins with another.
    private static readonly (string Begins, string Name)[] Names =
    [
        ("arm,pl011", "ttyAMA"),
        ("arm,sbsa-uart", "ttyAMA"),
        ("zte,zx296702-uart", "ttyAMA"),
        ("fsl,imx8qxp-lpuart", "ttyLP"),
        ("fsl,imx8ulp-lpuart", "ttyLP"),
        ("fsl,imx7ulp-lpuart", "ttyLP"),
        ("fsl,imxrt1050-lpuart", "ttyLP"),
        ("fsl,vf610-lpuart", "ttyLP"),
        ("fsl,ls1021a-lpuart", "ttyLP"),
        ("fsl,ls1028a-lpuart", "ttyLP"),
        ("nxp,s32g2-linflexuart", "ttyLF"),
        ("fsl,s32v234-linflexuart", "ttyLF"),
        ("fsl,imx23-auart", "ttyAPP"),
        ("fsl,imx28-auart", "ttyAPP"),
        ("alphascale,asm9260-auart", "ttyAPP"),
        ("fsl,imx", "ttymxc"),
        ("st,stm32", "ttySTM"),
        ("st,asc", "ttyAS"),
        ("qcom,geni-uart", "ttyHS"),
        ("qcom,geni-debug-uart", "ttyMSM"),
        ("qcom,msm-uart", "ttyMSM"),
        ("samsung,", "ttySAC"),
        ("apple,s5l-uart", "ttySAC"),
        ("google,gs101-uart", "ttySAC"),
        ("axis,artpec8-uart", "ttySAC"),
        ("cdns,uart", "ttyPS"),
        ("xlnx,xuartps", "ttyPS"),
        ("xlnx,xps-uartlite", "ttyUL"),
        ("xlnx,opb-uartlite", "ttyUL"),
        ("renesas,scif", "ttySC"),
        ("renesas,hscif", "ttySC"),
        ("renesas,sci", "ttySC"),
        ("renesas,rzsci", "ttySC"),
        ("renesas,rcar-gen", "ttySC"),
        ("renesas,rcar-scif", "ttySC"),
        ("renesas,rcar-hscif", "ttySC"),
        ("sifive,", "ttySIF"),
        ("marvell,armada-3700-uart", "ttyMV"),
        ("nvidia,tegra194-tcu", "ttyTCU"),
        ("nvidia,tegra234-tcu", "ttyTCU"),
        ("nvidia,tegra20-hsuart", "ttyTHS"),
        ("nvidia,tegra30-hsuart", "ttyTHS"),
        ("nvidia,tegra186-hsuart", "ttyTHS"),
        ("nvidia,tegra194-hsuart", "ttyTHS"),
        ("nvidia,tegra194-sbsa-uart", "ttyAMA"),
        ("actions,", "ttyOWL"),
        ("socionext,milbeaut-usio-uart", "ttyUSI"),
        ("nxp,lpc3220-hsuart", "ttyTX"),
        ("via,vt8500-uart", "ttyWMT"),
        ("wm,", "ttyWMT"),
        ("rda,8810pl-uart", "ttyRDA"),
        ("sunplus,sp7021-uart", "ttySUP"),
        ("nuvoton,ma35d1-uart", "ttyNVT"),
        ("lantiq,asc", "ttyLTQ"),
        ("altr,uart-1.0", "ttyAL"),
        ("altr,juart-1.0", "ttyJ"),
        ("litex,liteuart", "ttyLXU"),
        ("moxa,", "ttyS"),
        // 8250 and those that take its name (drivers/tty/serial/8250, atmel_serial, sprd_serial, digicolor-usart).
        ("ns16", "ttyS"),
        ("ns8250", "ttyS"),
        ("snps,dw-apb-uart", "ttyS"),
        ("ti,", "ttyS"),
        ("nvidia,tegra", "ttyS"),
        ("mediatek,", "ttyS"),
        ("brcm,bcm2835-aux-uart", "ttyS"),
        ("brcm,bcm7271-uart", "ttyS"),
        ("mrvl,", "ttyS"),
        ("marvell,", "ttyS"),
        ("intel,xscale-uart", "ttyS"),
        ("intel,", "ttyS"),
        ("nxp,lpc3220-uart", "ttyS"),
        ("nxp,lpc1850-uart", "ttyS"),
        ("socionext,uniphier-uart", "ttyS"),
        ("atmel,", "ttyS"),
        ("microchip,", "ttyS"),
        ("sprd,", "ttyS"),
        ("cnxt,", "ttyS"),
        ("nuvoton,", "ttyS"),
        ("aspeed,", "ttyS"),
        ("cavium,", "ttyS"),
        ("ralink,", "ttyS"),
        ("altr,16550", "ttyS"),
        ("ingenic,", "ttyS"),
        ("loongson,", "ttyS"),
        ("hisilicon,", "ttyS"),
        ("realtek,", "ttyS"),
        ("pnpPNP", "ttyS"),
    ];

    /// <summary>The name before the number, or null when no driver of the table takes the node.</summary>
    public static string? NameOf(TreeNode port)
    {
        // The driver whose table has the most exact of the names takes it.
        foreach (var compatible in port.Compatible)
        {
            // One family carries its name behind that of its maker.
            if (compatible.Contains(",meson", StringComparison.Ordinal))
                return "ttyAML";
            foreach (var (begins, name) in Names)
                if (compatible.StartsWith(begins, StringComparison.Ordinal))
                    return name;
        }
        return null;
    }

    /// <summary>Whether a node is a serial port: by its name, and a driver that is known for it.</summary>
    public static bool IsPort(TreeNode node) =>
        (node.Kind is "serial" or "uart" or "tcu" || node.Name.StartsWith("uart", StringComparison.Ordinal)) && NameOf(node) is not null;

    /// <summary>The name in Linux. Without an alias drivers count the ports of their kind in the order of the tree; <paramref name="byOrder"/> says so.</summary>
    public static string? DeviceOf(DeviceTree tree, TreeNode port, out bool byOrder)
    {
        byOrder = false;
        if (NameOf(port) is not { } name)
            return null;
        if (tree.AliasNumber(port, Alias) is { } number)
            return name + number;
        byOrder = true;
        var taken = tree
            .Nodes.Where(n => n != port && n.IsOn && IsPort(n) && NameOf(n) == name)
            .Select(n => tree.AliasNumber(n, Alias))
            .OfType<int>()
            .ToHashSet();
        var before = tree
            .Nodes.TakeWhile(n => n != port)
            .Count(n => n.IsOn && IsPort(n) && NameOf(n) == name && tree.AliasNumber(n, Alias) is null);
        for (var free = 0; ; free++)
            if (!taken.Contains(free) && before-- == 0)
                return name + free;
    }
}
