using System.Globalization;
using System.Text;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Boards;

/// <summary>One thing that was read for a new card, and where it was read.</summary>
public sealed record DraftFact(string Field, string Value, string From);

/// <summary>One thing that only the person knows.</summary>
public sealed record DraftQuestion(string Field, string Question);

/// <summary>A new board card as far as it could be read: usual values stand where a question is open.</summary>
public sealed record CardDraft(BoardModel Card, IReadOnlyList<DraftFact> Read, IReadOnlyList<DraftQuestion> Ask)
{
    /// <summary>Drafts a card from a device tree, a boot log or pasted text, and the mark; a problem when none of them tells anything.</summary>
    public static Answer<CardDraft> From(BoardClues clues, RuleBookIndex rules)
    {
        if (clues.ReadTree(out var tree) is { } unreadable)
            return unreadable;
        var facts = clues.Text is { Length: > 0 } text
            ? WithProcessorText(LogDiagnosis.Of(Encoding.UTF8.GetBytes(text), rules).Reading.Facts, text)
            : null;
        if (tree is null && facts?.Board is null && facts?.Architecture is null)
            return new Problem(
                "A card is made from a device tree, a boot log, or text of a running system.",
                "What was given names no board and no processor.",
                "Take /sys/firmware/fdt from the running board, or its boot log from the first line on."
            );
        var read = new List<DraftFact>();
        var ask = new List<DraftQuestion>();
        T Known<T>(string field, T? value, string from, string question, T usual)
            where T : class
        {
            if (value is not null)
                read.Add(new(field, value.ToString()!, from));
            else
                ask.Add(new(field, question));
            return value ?? usual;
        }

        const string InTree = "device tree";
        const string InText = "log or text";
        var model = tree?.Model ?? facts?.Board;
        var compatible = tree?.Compatible ?? [];
        var words = (model ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries);
        var from = tree?.Model is not null ? InTree : InText;
        var banner = Known("banner", model, from, "What does its loader print as the model line?", "unknown");
        var maker = Known("maker", words.Length > 1 ? words[0] : null, from, "Who made it?", "unknown");
        var revisionAt = Array.FindIndex(
            words,
            w => w.Equals("rev", StringComparison.OrdinalIgnoreCase) || w.Equals("revision", StringComparison.OrdinalIgnoreCase)
        );
        var name = Known(
            "name",
            words.Length > 1 ? string.Join(' ', words[1..(revisionAt > 1 ? revisionAt : words.Length)]) : null,
            from,
            "What is the model called?",
            "unknown"
        );
        var processor = Known(
            "processor",
            compatible.Count > 1 ? compatible[^1].Split(',')[^1].ToUpperInvariant() : null,
            InTree,
            "Which processor is on it?",
            "unknown"
        );
        var set =
            SetOf(tree) is { } byTree ? (Value: (InstructionSet?)byTree, From: InTree)
            : facts?.Architecture is { } told && Enum.TryParse<InstructionSet>(told, true, out var byText) ? (byText, InText)
            : (null, "");
        if (set.Value is { } s)
            read.Add(new("instructionSet", s.Words(), set.From));
        else
            ask.Add(new("instructionSet", "Is it 32-bit ARM, 64-bit ARM, 64-bit RISC-V or x86-64?"));
        var memory =
            facts?.MemoryBytes is { } bytes ? (Sold(bytes), InText)
            : TreeMemory(tree) is { } fixedMemory ? (Sold(fixedMemory), InTree)
            : (0, "");
        if (memory.Item1 > 0)
            read.Add(new("memoryMiB", Sizes.Memory(memory.Item1), memory.Item2));
        else
            ask.Add(new("memoryMiB", "How much memory has it?"));
        var revisionId = revisionAt >= 0 && revisionAt + 1 < words.Length ? words[revisionAt + 1].Trim(',', ')') : null;
        if (revisionId is not null)
            read.Add(new("revision", revisionId, from));
        var exact = Known(
            "compatible",
            compatible.FirstOrDefault(),
            InTree,
            "What is its device-tree name (/proc/device-tree/compatible)?",
            "unknown,board"
        );
        var mark = Known(
            "mark",
            string.IsNullOrWhiteSpace(clues.Mark) ? null : clues.Mark.Trim(),
            "the mark",
            "What is printed on it?",
            name
        );
        ask.Add(new("where", "Where does the mark stand?"));
        var (device, speed) = Console(tree, clues.Text);
        if (device is not null)
            read.Add(new("console", $"{device}, {speed} bits a second", ConsoleFrom(tree) ? InTree : InText));
        else
            ask.Add(new("console", "Which Linux device is its console, and at what speed?"));
        ask.Add(new("pins", "Where are the console pins, what are they called, and at which level do they speak?"));
        ask.Add(new("power", "Which volts and amperes does it want, through which socket?"));
        ask.Add(new("bootMedia", "Where does it look for a system, in which order?"));
        var (ports, video, lights, wireless) = Parts(tree, read);
        return new CardDraft(
            new(
                BoardModel.CardFormat,
                IdOf(maker, name),
                maker,
                name,
                null,
                processor,
                set.Value ?? InstructionSet.Arm64,
                [new(revisionId ?? "1", mark, "On the board", [], exact, null, null)],
                [memory.Item1 > 0 ? memory.Item1 : 1024],
                ["card"],
                set.Value == InstructionSet.Amd64 ? "efi" : "distro",
                null,
                null,
                [],
                new(device ?? "ttyS0", speed ?? 115200, ConsoleLevel.Unknown, "Console header", "ground", "transmit", "receive"),
                new(5, 2, 0.6, 4.75, "USB-C", false),
                video,
                lights,
                [],
                banner,
                ports,
                wireless,
                null,
                []
            ),
            read,
            ask
        );
    }

    /// <summary>What /proc/cpuinfo says where a log says nothing: the model line that ARM and RISC-V kernels print (arch/arm64/kernel/cpuinfo.c), the isa of RISC-V, long mode of x86.</summary>
    private static Facts WithProcessorText(Facts facts, string text)
    {
        string? Line(string key) =>
            text.Split('\n').Select(l => l.Split(':', 2)).FirstOrDefault(p => p.Length == 2 && p[0].Trim() == key)?[1].Trim();
        return facts with
        {
            Board = facts.Board ?? (Line("Model") is { Length: > 0 } model ? model : null),
            Architecture =
                facts.Architecture
                ?? (
                    Line("isa")?.StartsWith("rv64", StringComparison.Ordinal) == true ? "riscv64"
                    : Line("flags")?.Split(' ').Contains("lm") == true ? "amd64"
                    : null
                ),
        };
    }

    /// <summary>The id of a card: maker and name in small letters, digits and dashes.</summary>
    public static string IdOf(string maker, string name)
    {
        var slug = new string([.. $"{maker} {name}".ToLowerInvariant().Select(c => char.IsAsciiLetterOrDigit(c) ? c : '-')]);
        while (slug.Contains("--", StringComparison.Ordinal))
            slug = slug.Replace("--", "-", StringComparison.Ordinal);
        slug = slug.Trim('-');
        return slug.Length == 0 || !char.IsAsciiLetterLower(slug[0]) ? $"board-{slug}".TrimEnd('-') : slug;
    }

    /// <summary>The size sold that holds what a system sees: the next power of two, or three quarters of one.</summary>
    private static int Sold(long bytes)
    {
        var mebibytes = bytes / (double)Sizes.MiB;
        for (var size = 64; size <= 1 << 20; size *= 2)
        {
            if (mebibytes <= size)
                return size;
            if (mebibytes <= size * 1.5)
                return size * 3 / 2;
        }
        return (int)mebibytes;
    }

    /// <summary>The first processor's name tells the set: arm,cortex names with v8 are 64-bit where the node has enable-method psci or reg of two cells; riscv nodes carry riscv,isa.</summary>
    private static InstructionSet? SetOf(DeviceTree? tree)
    {
        if (tree is null)
            return null;
        foreach (var cpu in tree.Children("/cpus").Where(n => n.Contains("cpu@", StringComparison.Ordinal)))
        {
            if ((tree.Text(cpu, "riscv,isa") ?? tree.Text(cpu, "riscv,isa-base")) is { } isa)
                return isa.StartsWith("rv64", StringComparison.Ordinal) ? InstructionSet.Riscv64 : null;
            if (tree.Text(cpu, "compatible") is not { } core)
                continue;
            if (
                core.StartsWith("arm,armv8", StringComparison.Ordinal)
                || NumberIn(core, "arm,cortex-a") is >= 34 and not 8 and not 9
                || core.StartsWith("arm,neoverse", StringComparison.Ordinal)
            )
                return InstructionSet.Arm64;
            if (core.StartsWith("arm,", StringComparison.Ordinal))
                return InstructionSet.Armhf;
        }
        return null;
    }

    private static int? NumberIn(string text, string prefix) =>
        text.StartsWith(prefix, StringComparison.Ordinal)
        && int.TryParse(new string([.. text[prefix.Length..].TakeWhile(char.IsAsciiDigit)]), CultureInfo.InvariantCulture, out var number)
            ? number
            : null;

    private static long? TreeMemory(DeviceTree? tree)
    {
        if (tree is null)
            return null;
        long total = 0;
        foreach (var node in tree.Children("/").Where(n => n == "/memory" || n.StartsWith("/memory@", StringComparison.Ordinal)))
        {
            if (tree.Property(node, "reg") is not { } reg)
                continue;
            int address = Cells(tree, "#address-cells"),
                size = Cells(tree, "#size-cells");
            for (var at = 0; at + (address + size) * 4 <= reg.Length; at += (address + size) * 4)
            {
                long length = 0;
                for (var c = 0; c < size; c++)
                    length = (length << 32) | Field.B32(reg, at + (address + c) * 4);
                if (length is > 0 and < 1L << 44)
                    total += length;
            }
        }
        return total == 0 ? null : total;
    }

    private static int Cells(DeviceTree tree, string name) =>
        tree.Property("/", name) is { Length: 4 } b ? (int)Math.Min(2, Field.B32(b, 0)) : 1;

    private static bool ConsoleFrom(DeviceTree? tree) => tree?.HasConsole == true && AliasOf(tree) is not null;

    private static string? AliasOf(DeviceTree tree)
    {
        var path = (tree.Text("/chosen", "stdout-path") ?? tree.Text("/chosen", "linux,stdout-path"))?.Split(':')[0];
        if (path is null)
            return null;
        if (path.StartsWith("serial", StringComparison.Ordinal))
            return path;
        return Enumerable.Range(0, 10).Select(i => $"serial{i}").FirstOrDefault(a => tree.Text("/aliases", a) == path);
    }

    /// <summary>The console: the serial alias that stdout-path names gives number and speed, the node's driver the name; else the last console= of the log.</summary>
    private static (string? Device, int? Speed) Console(DeviceTree? tree, string? text)
    {
        if (tree is not null && AliasOf(tree) is { } alias)
        {
            var node = tree.Text("/aliases", alias) ?? "";
            var driver = tree.Text(node, "compatible") ?? "";
            var name =
                driver.StartsWith("arm,pl011", StringComparison.Ordinal) ? "ttyAMA"
                : driver.Contains("meson", StringComparison.Ordinal) ? "ttyAML"
                : driver.Contains("lpuart", StringComparison.Ordinal) ? "ttyLP"
                : driver.Contains("sifive", StringComparison.Ordinal) ? "ttySIF"
                : "ttyS";
            var mode = tree.Text("/chosen", "stdout-path")?.Split(':') is [_, var m] ? m : null;
            var speed =
                mode is not null
                && int.TryParse(new string([.. mode.TakeWhile(char.IsAsciiDigit)]), CultureInfo.InvariantCulture, out var s)
                    ? s
                    : 115200;
            return (name + alias["serial".Length..], speed);
        }
        var at = text?.LastIndexOf("console=tty", StringComparison.Ordinal) ?? -1;
        if (at < 0)
            return (null, null);
        var word = new string([.. text!.Skip(at + 8).TakeWhile(c => char.IsAsciiLetterOrDigit(c) || c == ',')]);
        var parts = word.Split(',');
        return (
            parts[0],
            parts.Length > 1
            && int.TryParse(new string([.. parts[1].TakeWhile(char.IsAsciiDigit)]), CultureInfo.InvariantCulture, out var rate)
                ? rate
                : 115200
        );
    }

    /// <summary>Ports, video sockets, lights and radio that the tree describes and does not switch off.</summary>
    private static (List<BoardPort>, List<VideoOutput>, List<Light>, Wireless?) Parts(DeviceTree? tree, List<DraftFact> read)
    {
        var (ports, video, lights, wireless) = (new List<BoardPort>(), new List<VideoOutput>(), new List<Light>(), (Wireless?)null);
        if (tree is null)
            return (ports, video, lights, null);
        foreach (var path in tree.Paths.Order(StringComparer.Ordinal))
        {
            if (tree.Text(path, "status") is "disabled")
                continue;
            var node = path[(path.LastIndexOf('/') + 1)..];
            var driver = tree.Text(path, "compatible") ?? "";
            if (node.StartsWith("ethernet@", StringComparison.Ordinal) && tree.Property(path, "phy-mode") is not null)
                ports.Add(
                    new("ethernet", ports.Count(p => p.Kind == "ethernet") is var n and > 0 ? $"Ethernet {n + 1}" : "Ethernet", null)
                );
            else if (node.StartsWith("usb@", StringComparison.Ordinal) && tree.Text(path, "dr_mode") is { } role)
                ports.Add(new(role == "host" ? "usb-host" : "usb-device", role == "host" ? "USB" : "USB for a computer", null));
            else if (driver.EndsWith("hdmi-connector", StringComparison.Ordinal))
                video.Add(new(tree.Text(path, "label") ?? (video.Count > 0 ? $"HDMI {video.Count}" : "HDMI"), "any", null));
            else if (node.StartsWith("wifi@", StringComparison.Ordinal) || driver.Contains("wifi", StringComparison.Ordinal))
                wireless = new("2.4 GHz", null);
            else if (
                path.Contains("leds/", StringComparison.Ordinal)
                && (tree.Property(path, "gpios") is not null || tree.Property(path, "linux,default-trigger") is not null)
            )
                lights.Add(
                    new(
                        tree.Text(path, "label") ?? tree.Text(path, "function") ?? node,
                        tree.Text(path, "linux,default-trigger") is { } trigger ? Pattern(trigger) : "steady",
                        tree.Text(path, "linux,default-trigger") is { } why ? Meaning(why) : "Set by the system"
                    )
                );
        }
        if (ports.Count > 0)
            read.Add(new("ports", string.Join(", ", ports.Select(p => p.Name)), "device tree"));
        if (video.Count > 0)
            read.Add(new("videoOutputs", string.Join(", ", video.Select(v => v.Name)), "device tree"));
        if (lights.Count > 0)
            read.Add(new("lights", string.Join(", ", lights.Select(l => l.Name)), "device tree"));
        if (wireless is not null)
            read.Add(new("wireless", "fitted", "device tree"));
        return (ports, video, lights, wireless);
    }

    // Linux Documentation/leds: triggers and what they follow.
    private static string Pattern(string trigger) =>
        trigger switch
        {
            "heartbeat" => "two beats, pause",
            "default-on" => "steady",
            _ => "blinking",
        };

    private static string Meaning(string trigger) =>
        trigger switch
        {
            "heartbeat" => "The kernel is running",
            "default-on" => "The kernel has started",
            _ when trigger.StartsWith("mmc", StringComparison.Ordinal) => "The card is being read",
            "disk-activity" => "A disk is being read",
            _ => $"Follows {trigger}",
        };
}
