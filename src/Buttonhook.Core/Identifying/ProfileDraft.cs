using System.Text;
using System.Text.RegularExpressions;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Identifying;

/// <summary>One thing that was read for a new card, and where it was read.</summary>
public sealed record DraftFact(string Field, string Value, string From);

/// <summary>One thing that no source told.</summary>
public sealed record DraftQuestion(string Field, string Question);

/// <summary>A new board profile as far as it could be read: what no source told is not in it.</summary>
public sealed partial record ProfileDraft(BoardProfile Card, IReadOnlyList<DraftFact> Read, IReadOnlyList<DraftQuestion> Ask)
{
    /// <summary>The id of a revision that nothing tells.</summary>
    public const string NoRevision = "not known";

    /// <summary>Drafts a card from a device tree, a boot log or pasted text, and the mark; a problem when none of them tells anything.</summary>
    /// <param name="treeFrom">Where the tree was read from, for the record.</param>
    /// <param name="log">Whether the text is known to be a board's log although it may name none.</param>
    public static Answer<ProfileDraft> From(BoardClues clues, RuleBookIndex rules, string treeFrom = "device tree", bool log = false)
    {
        if (clues.ReadTree(out var tree) is { } unreadable)
            return unreadable;
        var reading = clues.Text is { Length: > 0 } text ? LogDiagnosis.Of(Encoding.UTF8.GetBytes(text), rules).Reading : null;
        var facts = reading is null ? null : WithProcessorText(reading.Facts, clues.Text!);
        // A log that stops in the loader may name neither; it is one of a board all the same.
        var ofBoard = log || reading?.LastStage is not null;
        var mark = string.IsNullOrWhiteSpace(clues.Mark) ? null : clues.Mark.Trim();
        var list = ofBoard || clues.Text is null ? null : HardwareList.Read(clues.Text);
        if (tree is null && facts?.Board is null && facts?.Architecture is null && list is null && mark is null && !ofBoard)
            return new Problem(
                "A card is made from a device tree, a boot log, text of a running system, or what is printed on the board.",
                "What was given names no board and no processor.",
                "Take /sys/firmware/fdt from the running board, its boot log from the first line on, or what dmidecode says of it."
            );
        return new Making(tree is null ? null : TreeReader.Read(tree, treeFrom), treeFrom, facts, list, clues.Text, mark).Card();
    }

    /// <summary>One card in the making: each fact with its source, each gap with its question.</summary>
    private sealed class Making(TreeFacts? tree, string treeFrom, Facts? log, HardwareFacts? list, string? text, string? mark)
    {
        private const string InText = "log or text";
        private const string OnBoard = "the mark";
        private readonly BoardPrint? print = mark is null ? null : BoardPrint.Read(mark);
        private readonly List<DraftFact> read = [];
        private readonly List<DraftQuestion> ask = [];
        private readonly Dictionary<string, string> sources = [];

        /// <summary>Takes the first of the values that is there.</summary>
        private T? Take<T>(string field, string? question, Func<T, string> words, params (T? Value, string From)[] candidates)
            where T : class
        {
            foreach (var (value, from) in candidates)
                if (value is not null)
                {
                    read.Add(new(field, words(value), from));
                    sources[field] = from;
                    return value;
                }
            if (question is not null)
                ask.Add(new(field, question));
            return null;
        }

        private string? Text(string field, string? question, params (string? Value, string From)[] candidates) =>
            Take(field, question, v => v, candidates);

        public ProfileDraft Card()
        {
            var inList = $"hardware list ({list?.Kind})";
            var model =
                tree?.Model is not null ? (Text: tree.Model, From: treeFrom)
                : list?.Banner is not null ? (Text: list.Banner, From: inList)
                : (Text: log?.Board, From: InText);
            var (maker, name, revision) =
                tree?.Model is null && list?.Product is not null ? (list.Maker, list.Product, list.Version) : Parts(model.Text);
            var banner = Text("banner", null, (model.Text, model.From));
            var printed = Text("mark", "What is printed on it?", (mark, OnBoard));
            var made = Text("maker", null, (maker, model.From));
            var called = Text("name", null, (name, model.From), (print?.Name ?? printed, OnBoard)) ?? "Board without a name";
            var processor = Text(
                "processor",
                null,
                (tree is { Compatible: [_, .., var last] } ? last.Split(',')[^1].ToUpperInvariant() : null, treeFrom),
                (list?.Processor, inList)
            );
            var set = Set();
            var memory = Memory();
            var id = Text("revision", null, (revision, model.From), (print?.Revision, OnBoard)) ?? NoRevision;
            var compatible = Text("compatible", null, (tree is { Compatible: [var exact, ..] } ? exact : null, treeFrom));
            var console = Console();
            var volts = Take<object>("power.volts", null, v => $"{v} V", (print?.Volts, OnBoard));
            var amps = Take<object>("power.amps", null, v => $"{v} A", (print?.Amps, OnBoard));
            ask.Add(
                new(
                    "power",
                    volts is null ? "Which volts and amperes does it want, through which socket?"
                        : amps is null ? "How many amperes does it want, through which socket?"
                        : "Through which socket is it supplied?"
                )
            );
            ask.Add(new("bootMedia", "Where does it look for a system, in which order?"));
            if (tree?.Power is { } hint)
                read.Add(new("power.hint", $"{hint.HintVolts:0.##} V", hint.From));
            return new(
                new(
                    BoardProfile.ProfileFormat,
                    IdOf(made, called),
                    made,
                    called,
                    null,
                    processor,
                    set,
                    [new(id, printed, null, [], compatible, null, null)],
                    memory is { } size ? [size] : [],
                    [],
                    set == InstructionSet.Amd64 ? "efi" : null,
                    null,
                    null,
                    [],
                    console,
                    PowerInput.Nothing with
                    {
                        Volts = (double?)volts,
                        Amps = (double?)amps,
                        Hint = tree?.Power is { } power ? $"{power.HintVolts:0.##} V, since the {power.From}" : null,
                    },
                    Videos(),
                    Lights(),
                    [],
                    banner,
                    Ports(),
                    Radio(),
                    null,
                    [],
                    sources
                ),
                read,
                ask
            );
        }

        private InstructionSet? Set()
        {
            var words = Take<string>(
                "instructionSet",
                "Is it 32-bit ARM, 64-bit ARM, 64-bit RISC-V or x86-64?",
                v => Enum.TryParse<InstructionSet>(v, true, out var known) ? known.Words() : v,
                (tree?.Architecture, treeFrom),
                (log?.Architecture, InText),
                (list?.Architecture, $"hardware list ({list?.Kind})")
            );
            return words is not null && Enum.TryParse<InstructionSet>(words, true, out var set) ? set : null;
        }

        private int? Memory()
        {
            var size = Take<object>(
                "memoryMiB",
                "How much memory has it?",
                v => Sizes.Memory((int)v),
                (log?.MemoryBytes is { } bytes ? Sold(bytes) : null, InText),
                (print?.MemoryMiB, OnBoard),
                (list?.MemoryMiB, $"hardware list ({list?.Kind})"),
                (tree?.MemoryMiB is { } mebibytes ? Sold((long)mebibytes << 20) : null, treeFrom)
            );
            return (int?)size;
        }

        private ConsolePort Console()
        {
            var spoken = ConsoleOf(text);
            var device = Text(
                "console.device",
                "Which Linux device is its console?",
                (tree?.Console?.Device, $"{treeFrom}, {tree?.Console?.From}"),
                (spoken.Device, $"{InText}, console= of the kernel's command line")
            );
            var speed = Take<object>(
                "console.speed",
                "At what speed does its console run?",
                v => $"{v} bits a second",
                (tree?.Console?.Speed, $"{treeFrom}, {tree?.Console?.From}"),
                (spoken.Device == device ? spoken.Speed : null, $"{InText}, console= of the kernel's command line")
            );
            ask.Add(new("pins", "Where are the console pins, what are they called, and at which level do they speak?"));
            return ConsolePort.Nothing with { Device = device, Speed = (int?)speed };
        }

        private List<Light> Lights()
        {
            var lights = (tree?.Lights ?? []).Select(l => new Light(l.Name, null, l.Meaning, l.Colour)).ToList();
            Note("lights", lights.Select(l => l.Name));
            return lights;
        }

        private List<VideoOutput> Videos()
        {
            var videos = (tree?.Ports ?? []).Where(p => p.Kind == "video").Select(p => new VideoOutput(p.Name, null, null)).ToList();
            Note("videoOutputs", videos.Select(v => v.Name));
            return videos;
        }

        // The kinds of a tree that a card knows too, and what a person calls them.
        private static readonly Dictionary<string, (string Kind, string Name)> Known = new()
        {
            ["ethernet"] = ("ethernet", "Ethernet"),
            ["usb-host"] = ("usb-host", "USB"),
            ["usb-device"] = ("usb-device", "USB for a computer"),
            ["usb-either"] = ("usb-device", "USB, either way"),
            ["sata"] = ("storage", "SATA"),
            ["pcie"] = ("storage", "PCI Express"),
            ["serial"] = ("serial", "Serial port"),
            ["can"] = ("can", "CAN bus"),
            ["audio"] = ("audio", "Sound"),
            ["button"] = ("button", "Button"),
        };

        private List<BoardPort> Ports()
        {
            var ports = new List<BoardPort>();
            foreach (var group in (tree?.Ports ?? []).Where(p => Known.ContainsKey(p.Kind)).GroupBy(p => p.Kind))
            {
                var (kind, name) = Known[group.Key];
                var several = group.Count() > 1;
                ports.AddRange(
                    group.Select(
                        (p, i) =>
                            new BoardPort(
                                kind,
                                kind == "button" ? p.Name
                                    : several ? $"{name} {i + 1}"
                                    : name,
                                p.Device is { } device ? $"{device} in Linux" : null
                            )
                    )
                );
            }
            if (ports.Count == 0 && list is { Ports.Count: > 0 })
            {
                Note("ports", list.Ports.Select(p => p.Name), $"hardware list ({list.Kind})");
                return [.. list.Ports.Select(p => new BoardPort(p.Kind, p.Name, null))];
            }
            Note("ports", ports.Select(p => p.Name));
            return ports;
        }

        private Wireless? Radio()
        {
            if ((tree?.Ports ?? []).All(p => p.Kind != "wireless"))
                return null;
            Note("wireless", ["fitted"]);
            return new(null, null);
        }

        private void Note(string field, IEnumerable<string> values, string? from = null)
        {
            var said = values.ToList();
            if (said.Count == 0)
                return;
            read.Add(new(field, string.Join(", ", said), from ?? treeFrom));
            sources[field] = from ?? treeFrom;
        }
    }

    /// <summary>Maker, name and revision in a model line ("Thornlea Spindle 2 Rev 1.3").</summary>
    private static (string? Maker, string? Name, string? Revision) Parts(string? model)
    {
        var words = (model ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries);
        var at = Array.FindIndex(
            words,
            w => w.Equals("rev", StringComparison.OrdinalIgnoreCase) || w.Equals("revision", StringComparison.OrdinalIgnoreCase)
        );
        var name = words.Length > 1 ? string.Join(' ', words[1..(at > 1 ? at : words.Length)]) : null;
        return (
            words.Length > 1 ? words[0] : null,
            name ?? (words.Length == 1 ? words[0] : null),
            at >= 0 && at + 1 < words.Length ? words[at + 1].Trim(',', ')') : null
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

    /// <summary>The last serial console= of a text; null where it names none.</summary>
    private static (string? Device, int? Speed) ConsoleOf(string? text)
    {
        var found = ConsoleArgument().Matches(text ?? "").LastOrDefault();
        return found is null
            ? (null, null)
            : (found.Groups["device"].Value, int.TryParse(found.Groups["speed"].ValueSpan, out var speed) && speed > 0 ? speed : null);
    }

    [GeneratedRegex(@"\bconsole=(?<device>tty[A-Za-z]+\d+)(?:,(?<speed>\d{1,8}))?")]
    private static partial Regex ConsoleArgument();

    /// <summary>The id of a card: maker and name in small letters, digits and dashes.</summary>
    public static string IdOf(string? maker, string name)
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
}
