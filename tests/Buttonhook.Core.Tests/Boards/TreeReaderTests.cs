using Buttonhook.Core.Identifying;
using Buttonhook.Core.Images.Formats;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Boards;

/// <summary>What a device tree tells of a board, and that nothing is told which is not in it.</summary>
public class TreeReaderTests
{
    private static readonly byte[] Nothing = [];

    private static byte[] Cells(params uint[] cells) =>
        [.. cells.SelectMany(c => new[] { (byte)(c >> 24), (byte)(c >> 16), (byte)(c >> 8), (byte)c })];

    /// <summary>A whole board: a console on its third port, a slot, soldered flash, a radio, two lights, a button.</summary>
    private static List<(string Node, string Name, byte[] Value)> Board()
    {
        var list = new List<(string, string, byte[])>();
        void Text(string node, string name, string value) => list.Add((node, name, [.. System.Text.Encoding.ASCII.GetBytes(value), 0]));
        void Numbers(string node, string name, params uint[] cells) => list.Add((node, name, Cells(cells)));
        void Flag(string node, string name) => list.Add((node, name, Nothing));
        Text("/", "model", "Pomona 3");
        Text("/", "compatible", "orchard,pomona-3\0orchard,p3");
        Numbers("/", "#address-cells", 2);
        Numbers("/", "#size-cells", 2);
        Text("/aliases", "serial2", "/soc/serial@3000");
        Text("/aliases", "mmc1", "/soc/mmc@1000");
        Text("/chosen", "stdout-path", "serial2:1500000n8");
        Text("/cpus/cpu@0", "compatible", "arm,cortex-a55");
        Text("/memory@0", "device_type", "memory");
        Numbers("/memory@0", "reg", 0, 0x200000, 0, 0x7FE00000, 1, 0, 0, 0x80000000);
        Text("/soc/serial@2000", "compatible", "snps,dw-apb-uart");
        Text("/soc/serial@3000", "compatible", "orchard,p3-uart\0snps,dw-apb-uart");
        Text("/soc/mmc@1000", "compatible", "orchard,p3-dw-mshc");
        Numbers("/soc/mmc@1000", "reg", 0, 0x1000);
        Numbers("/soc/mmc@1000", "cd-gpios", 1, 2, 3);
        Text("/soc/mmc@1400", "compatible", "orchard,p3-sdhci");
        Numbers("/soc/mmc@1400", "reg", 0, 0x1400);
        Flag("/soc/mmc@1400", "non-removable");
        Text("/soc/mmc@1800", "compatible", "orchard,p3-dw-mshc");
        Numbers("/soc/mmc@1800", "reg", 0, 0x1800);
        Flag("/soc/mmc@1800", "non-removable");
        Text("/soc/mmc@1800/wifi@1", "compatible", "orchard,radio");
        Text("/leds", "compatible", "gpio-leds");
        Numbers("/leds/led-0", "gpios", 1, 2, 0);
        Text("/leds/led-0", "label", "pomona:green:work");
        Text("/leds/led-0", "linux,default-trigger", "heartbeat");
        Numbers("/leds/led-1", "gpios", 1, 3, 0);
        Numbers("/leds/led-1", "color", 1);
        Text("/leds/led-1", "default-state", "on");
        Text("/keys", "compatible", "gpio-keys");
        Text("/keys/recovery", "label", "Recovery");
        Numbers("/keys/recovery", "linux,code", 408);
        Text("/vcc12v-dcin", "compatible", "regulator-fixed");
        Text("/vcc12v-dcin", "regulator-name", "vcc12v_dcin");
        Numbers("/vcc12v-dcin", "regulator-min-microvolt", 12_000_000);
        Numbers("/vcc12v-dcin", "regulator-max-microvolt", 12_000_000);
        Text("/vcc5v0", "compatible", "regulator-fixed");
        Numbers("/vcc5v0", "regulator-min-microvolt", 5_000_000);
        Numbers("/vcc5v0", "regulator-max-microvolt", 5_000_000);
        Numbers("/vcc5v0", "vin-supply", 7);
        return list;
    }

    private static DeviceTree Tree(IEnumerable<(string Node, string Name, byte[] Value)> entries) =>
        DeviceTree.Read(entries.Aggregate(new TreeMaker(), (t, e) => t.Bytes(e.Node, e.Name, e.Value)).Blob());

    private static TreeFacts Read(IEnumerable<(string Node, string Name, byte[] Value)> entries) =>
        TreeReader.Read(Tree(entries), "pomona.dtb");

    private static IEnumerable<(string Node, string Name, byte[] Value)> With(string node, string name, string value) =>
        Board().Where(e => (e.Node, e.Name) != (node, name)).Append((node, name, [.. System.Text.Encoding.ASCII.GetBytes(value), 0]));

    [Fact]
    public void A_tree_tells_console_memory_media_lights_buttons_and_a_hint_of_its_supply()
    {
        var facts = Read(Board());
        Assert.Equal(("Pomona 3", "arm64", 4094), (facts.Model, facts.Architecture, facts.MemoryMiB));
        Assert.Equal(new TreeConsole("ttyS2", 1_500_000, "/chosen stdout-path, alias serial2"), facts.Console);
        Assert.Equal([("card", "mmcblk1"), ("flash", null)], facts.Media.Select(m => (m.Kind, m.Device)));
        Assert.Equal(
            [
                ("pomona:green:work", "green", "two beats and a pause: the kernel is running"),
                ("led-1", "red", "on: the kernel has started"),
            ],
            facts.Lights.Select(l => (l.Name, l.Colour, l.Meaning))
        );
        Assert.Contains(facts.Ports, p => p is { Kind: "button", Name: "Recovery" });
        Assert.Contains(facts.Ports, p => p is { Kind: "serial", Name: "serial@2000" });
        Assert.DoesNotContain(facts.Ports, p => p.From == "/soc/serial@3000");
        Assert.Equal(12, facts.Power!.HintVolts);
        Assert.Equal(["level and pins of the console", "volts and amperes of the supply", "what the boot ROM starts from"], facts.Unknown);
    }

    [Theory]
    [InlineData("arm,pl011\0arm,primecell", "ttyAMA2")]
    [InlineData("fsl,imx6q-uart\0fsl,imx21-uart", "ttymxc2")]
    [InlineData("fsl,imx8qxp-lpuart", "ttyLP2")]
    [InlineData("orchard,meson-gx-uart\0orchard,meson-ao-uart", "ttyAML2")]
    [InlineData("st,stm32h7-uart", "ttySTM2")]
    [InlineData("qcom,msm-uartdm-v1.4\0qcom,msm-uartdm", "ttyMSM2")]
    [InlineData("qcom,geni-debug-uart", "ttyMSM2")]
    [InlineData("samsung,exynos4210-uart", "ttySAC2")]
    [InlineData("cdns,uart-r1p12\0xlnx,xuartps", "ttyPS2")]
    [InlineData("renesas,scif-r8a7795\0renesas,rcar-gen3-scif\0renesas,scif", "ttySC2")]
    [InlineData("sifive,fu740-c000-uart\0sifive,uart0", "ttySIF2")]
    [InlineData("marvell,armada-3700-uart", "ttyMV2")]
    [InlineData("nvidia,tegra30-uart\0nvidia,tegra20-uart", "ttyS2")]
    [InlineData("nvidia,tegra30-hsuart", "ttyTHS2")]
    [InlineData("ti,omap4-uart", "ttyS2")]
    [InlineData("brcm,bcm2835-aux-uart", "ttyS2")]
    [InlineData("mediatek,mt8183-uart\0mediatek,mt6577-uart", "ttyS2")]
    [InlineData("atmel,at91sam9260-usart", "ttyS2")]
    [InlineData("nobody,knows-uart", null)]
    public void A_port_is_named_as_its_driver_names_it(string compatible, string? device) =>
        Assert.Equal(device, Read(With("/soc/serial@3000", "compatible", compatible)).Console?.Device);

    [Fact]
    public void A_console_may_be_named_by_its_path_by_the_old_property_or_by_the_command_line()
    {
        Assert.Equal(("ttyS2", null), Told(With("/chosen", "stdout-path", "/soc/serial@3000")));
        Assert.Equal(("ttyS0", 9600), Told(With("/chosen", "stdout-path", "/soc/serial@2000:9600")));
        var without = Board().Where(e => e.Node != "/chosen").ToList();
        Assert.Null(Read(without).Console);
        Assert.Equal(("ttyS2", 115_200), Told(without.Append(("/chosen", "linux,stdout-path", "serial2:115200\0"u8.ToArray()))));
        Assert.Equal(
            ("ttyS1", 57_600),
            Told(without.Append(("/chosen", "bootargs", "console=tty1 console=ttyS1,57600 root=/dev/mmcblk0p2\0"u8.ToArray())))
        );
        Assert.Null(Read(With("/chosen", "stdout-path", "serial7")).Console);

        static (string?, int?) Told(IEnumerable<(string, string, byte[])> entries)
        {
            var console = Read(entries).Console;
            return (console?.Device, console?.Speed);
        }
    }

    [Fact]
    public void What_is_switched_off_is_not_there()
    {
        Assert.DoesNotContain(Read(With("/soc/mmc@1400", "status", "disabled")).Media, m => m.Kind == "flash");
        Assert.Empty(Read(With("/leds", "status", "disabled")).Lights);
        Assert.Empty(Read(With("/soc", "status", "reserved")).Media);
        Assert.NotEmpty(Read(With("/soc", "status", "ok")).Media);
    }

    [Property(MaxTest = 300)]
    public bool Whatever_is_taken_out_of_a_tree_nothing_else_stands_in_for_it(int seed)
    {
        var random = new Random(seed);
        var whole = Read(Board());
        var left = Read(Board().Where(_ => random.Next(3) != 0));
        return (left.Model is null || left.Model == whole.Model)
            && (left.Architecture is null || left.Architecture == whole.Architecture)
            && (left.Console?.Speed is null || left.Console.Speed == whole.Console!.Speed)
            && (left.Power is null || left.Power.HintVolts is 12 or 5)
            && left.Lights.All(l => l.Colour is null || whole.Lights.Any(w => w.From == l.From && w.Colour == l.Colour))
            && left.Lights.All(l => l.Meaning is null || whole.Lights.Any(w => w.From == l.From && w.Meaning == l.Meaning))
            && left.Media.All(m => m.Device is null or "mmcblk1")
            && left.Unknown.Contains("model") == left.Model is null
            && left.Unknown.Contains("console") == left.Console is null
            && left.Unknown.Contains("memory") == left.MemoryMiB is null;
    }
}
