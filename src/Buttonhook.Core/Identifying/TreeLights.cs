using System.Globalization;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Identifying;

/// <summary>The lights of a board, from its device tree (bindings leds/common.yaml).</summary>
public static class TreeLights
{
    // include/dt-bindings/leds/common.h
    private static readonly string[] Colours =
    [
        "white",
        "red",
        "green",
        "blue",
        "amber",
        "violet",
        "yellow",
        "infrared",
        "several colours",
        "red, green and blue",
        "purple",
        "orange",
        "pink",
        "cyan",
        "lime",
    ];

    /// <summary>All lights that are switched on, in the order of the tree.</summary>
    public static IReadOnlyList<TreeLight> Of(DeviceTree tree) =>
        [.. tree.Nodes.Where(n => IsLight(n) && n.IsOn).Select(n => new TreeLight(NameOf(n), ColourOf(n), MeaningOf(n), n.Path))];

    private static bool IsLight(TreeNode node)
    {
        if (
            node.Parent is not { } parent
            || !(
                node.Has("gpios")
                || node.Has("pwms")
                || node.Has("reg")
                || node.Has("led-gpio")
                || node.Has("led-sources")
                || node.Has("leds")
            )
        )
            return false;
        if (parent.Compatible.Any(c => c is "gpio-leds" or "pwm-leds" or "pwm-leds-multicolor" or "leds-group-multicolor"))
            return true;
        // Lights behind a controller of their own, on a bus or in a power chip.
        var controller =
            parent.Kind is "leds" or "led-controller" or "multi-led"
            || parent.Compatible.Any(c => c.Contains("-led", StringComparison.Ordinal));
        return controller
            && (
                node.Kind is "led" or "multi-led"
                || node.Name.StartsWith("led", StringComparison.Ordinal)
                || node.Has("function")
                || node.Has("linux,default-trigger")
                || node.Has("color") && node.Has("reg")
                || node.Has("label") && node.Has("reg")
            );
    }

    private static string NameOf(TreeNode node) => node.Text("label") is { Length: > 0 } label ? label : node.Name;

    private static string? ColourOf(TreeNode node)
    {
        if (node.Number("color") is { } number)
            return number < Colours.Length ? Colours[number] : null;
        var words = $"{node.Text("label")} {node.Name} {node.Parent?.Text("label")}".ToLowerInvariant().Split(' ', ':', '-', '_', '@', '/');
        return words
            .Select(w => w.TrimEnd('0', '1', '2', '3', '4', '5', '6', '7', '8', '9'))
            .FirstOrDefault(w => Array.IndexOf(Colours, w) >= 0);
    }

    // Documentation/leds and drivers/leds/trigger of the kernel: what each trigger follows.
    private static string? MeaningOf(TreeNode node)
    {
        var trigger = node.Text("linux,default-trigger");
        var meaning = trigger switch
        {
            null or "" or "none" => null,
            "heartbeat" => "two beats and a pause: the kernel is running",
            "default-on" => "on: the kernel has started",
            "timer" or "pattern" => "blinks evenly: the kernel has started",
            "activity" or "cpu" => "blinks while the processors work",
            "disk-activity" or "disk-read" or "disk-write" or "ide-disk" or "nand-disk" => "blinks while a disk is read or written",
            "mtd" => "blinks while flash memory is read or written",
            "panic" => "blinks when the kernel has panicked",
            "rfkill-any" => "on while a radio is allowed",
            "rfkill-none" => "on while every radio is blocked",
            "bluetooth-power" => "on while Bluetooth is on",
            "usb-host" or "usb-gadget" or "usbport" => "blinks with what goes over USB",
            "netdev" => "follows a network interface",
            "rc-feedback" => "blinks at a key of a remote control",
            "kbd-capslock" => "on while capitals are locked",
            "backlight" => "on while the screen is",
            "torch" or "flash" => "a lamp for the camera",
            _ when Numbered(trigger, "mmc") is { } n => $"blinks while mmc{n} is read or written",
            _ when Numbered(trigger, "cpu") is { } n => $"on while processor {n} works",
            _ when Numbered(trigger, "phy") is not null => "follows the wireless",
            _ when Numbered(trigger, "rfkill") is not null => "on while the radio is allowed",
            _ when Numbered(trigger, "hci") is not null => "follows Bluetooth",
            _ => $"follows “{trigger}”",
        };
        if (node.Has("panic-indicator"))
            meaning = meaning is null ? "blinks when the kernel has panicked" : $"{meaning}; blinks when it has panicked";
        meaning ??= node.Text("default-state") switch
        {
            "on" => "on: the kernel has started",
            "keep" => "stays as the loader left it",
            "off" => "off until the system sets it",
            _ => null,
        };
        return meaning ?? (node.Text("function") is { Length: > 0 } function ? $"for “{function}”, as the system sets it" : null);
    }

    /// <summary>The number behind a prefix: of "mmc0" or "phy0tx" the 0; null when something else stands there.</summary>
    private static int? Numbered(string trigger, string prefix) =>
        trigger.StartsWith(prefix, StringComparison.Ordinal)
        && int.TryParse(
            new string([.. trigger[prefix.Length..].TakeWhile(char.IsAsciiDigit)]),
            NumberStyles.None,
            CultureInfo.InvariantCulture,
            out var number
        )
            ? number
            : null;
}
