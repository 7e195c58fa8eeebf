using System.Text;
using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Images;

/// <summary>Plays a U-Boot script: the commands of its shell that decide what is loaded and started (doc/usage/cmdline and cmd/). Commands it does not know count as done.</summary>
internal sealed class BootScript(
    Volume volume,
    string prefix,
    DryBoard board,
    Func<Stream, Stream?> unpack,
    List<(string Text, string? Where)> notes
)
{
    private const int MostCommands = 20_000;
    private readonly Dictionary<string, Loaded> memory = [];
    private readonly Dictionary<string, string> variables = new()
    {
        ["devtype"] = board.BootMedium switch
        {
            "sd" => "mmc",
            var other => other,
        },
        ["devnum"] = "0",
        ["distro_bootpart"] = volume.Partition.Number.ToString(),
        ["prefix"] = prefix,
        ["kernel_addr_r"] = "0x40400000",
        ["ramdisk_addr_r"] = "0x44000000",
        ["fdt_addr_r"] = "0x43000000",
        ["fdt_addr"] = "0x40000000",
        ["scriptaddr"] = "0x40200000",
        ["fdtfile"] = "virt.dtb",
        ["bootargs"] = "",
    };
    private Break? lost;
    private Handover? handover;
    private Break? broke;
    private string script = "";
    private int commands;

    public (Handover?, Break?) Run(string path, byte[] bytes)
    {
        var image = LegacyImage.Read(bytes);
        script = volume.Name(path);
        if (image.Fault is { } fault)
            return (
                null,
                new(
                    "loader-config-missing",
                    $"The boot script cannot be used: {fault}.",
                    "Make the boot script again with mkimage.",
                    script
                )
            );
        if (image.Type != LegacyImage.Script || image.Data.Length < 8)
            return (null, new("loader-config-missing", "boot.scr is no script.", "Make the boot script with mkimage -T script.", script));
        // A list of sizes, ended by 0, stands before the text.
        var text = Encoding.UTF8.GetString(image.Data.AsSpan(8)).TrimEnd('\0');
        Play(Statements(text));
        return handover is not null
            ? (handover, null)
            : (
                null,
                lost is not null && broke is not null
                    ? lost
                    : broke
                        ?? lost
                        ?? new("boot-files-missing", "The boot script ends without starting a kernel.", "Correct the script.", script)
            );
    }

    private static List<(string Text, int Line)> Statements(string text)
    {
        var list = new List<(string, int)>();
        var current = new StringBuilder();
        var line = 1;
        var quote = '\0';
        void End()
        {
            if (current.ToString().Trim(' ', '\t') is { Length: > 0 } statement && statement[0] != '#')
                list.Add((statement, line));
            current.Clear();
        }
        foreach (var c in text)
        {
            if (quote != '\0')
                quote = c == quote ? '\0' : quote;
            else if (c is '"' or '\'')
                quote = c;
            if (quote == '\0' && c is '\n' or ';')
            {
                End();
                line += c == '\n' ? 1 : 0;
                continue;
            }
            current.Append(c);
        }
        End();
        return list;
    }

    private void Play(List<(string Text, int Line)> statements)
    {
        // Each open "if" holds: are we inside a part that is played, and was a part of it played already?
        var open = new Stack<(bool Playing, bool Done)>();
        foreach (var (whole, line) in statements)
        {
            var text = whole;
            if (handover is not null || ++commands > MostCommands)
                return;
            // The shell reads a carriage return as a part of the word before it, so a keyword before one is none.
            if (text is "then\r" or "else\r" or "fi\r" or "do\r" or "done\r")
            {
                broke = new(
                    "loader-config-missing",
                    "The boot script has Windows line ends, which are a syntax error for the loader.",
                    "Save its text with plain line ends and make the boot script again.",
                    $"{script}:{line}"
                );
                lost = null;
                return;
            }
            while (
                text.StartsWith("then ", StringComparison.Ordinal)
                || text.StartsWith("else ", StringComparison.Ordinal)
                || text is "then" or "else"
            )
            {
                if (text.StartsWith("else", StringComparison.Ordinal) && open.TryPop(out var state))
                    open.Push((!state.Done, true));
                text = text.Length > 5 ? text[5..].Trim() : "";
            }
            if (text.Length == 0)
                continue;
            if (text == "fi")
            {
                open.TryPop(out _);
                continue;
            }
            var playing = open.All(o => o.Playing);
            if (text.StartsWith("if ", StringComparison.Ordinal))
            {
                var condition = playing && Condition(text[3..].Trim(), line);
                open.Push((condition, condition || !playing));
                continue;
            }
            if (text.StartsWith("elif ", StringComparison.Ordinal) && open.TryPop(out var before))
            {
                var condition = !before.Done && open.All(o => o.Playing) && Condition(text[5..].Trim(), line);
                open.Push((condition, before.Done || condition));
                continue;
            }
            if (playing)
                Condition(text, line);
        }
    }

    private bool Condition(string text, int line)
    {
        foreach (var either in text.Split("||"))
            if (either.Split("&&").All(part => Command(part.Trim(), line)))
                return true;
        return false;
    }

    private bool Command(string text, int line)
    {
        var words = Words(text);
        if (words.Length == 0)
            return true;
        var where = $"{script}:{line}";
        switch (words[0])
        {
            case "setenv" or "env" when words[0] == "setenv" || words is ["env", "set", ..]:
                var set = words[0] == "setenv" ? words[1..] : words[2..];
                if (set.Length > 0)
                    variables[set[0]] = string.Join(' ', set[1..]);
                return true;
            case "env" when words is ["env", "import", ..]:
                var from = words.FirstOrDefault(w => w.StartsWith("0x", StringComparison.Ordinal)) ?? "";
                if (!memory.TryGetValue(from, out var environment))
                    return false;
                // A blank before "=" belongs to the name, a carriage return to the value unless -r takes it off (lib/hashtable.c).
                foreach (var whole in Encoding.UTF8.GetString(environment.Bytes).Split('\n'))
                {
                    var pair = (words.Contains("-r") ? whole.TrimEnd('\r') : whole).TrimStart(' ', '\t');
                    if (pair.IndexOf('=') is > 0 and var equals && pair[0] != '#')
                        variables[pair[..equals]] = pair[(equals + 1)..];
                }
                return true;
            case "load" or "fatload" or "ext4load" or "ext2load" when words.Length >= 5:
                return Load(words[3], words[4], where);
            case "test":
                return Test(words[1..]);
            case "run":
                foreach (var name in words[1..])
                    Play(Statements(variables.GetValueOrDefault(name, "")));
                return true;
            case "booti" when board.Architecture is not (InstructionSet.Arm64 or InstructionSet.Riscv64):
            case "bootz" when board.Architecture is not InstructionSet.Armhf:
                broke ??=
                    lost
                    ?? new(
                        "loader-config-missing",
                        $"The loader of a {board.Architecture.Words()} board has no command {words[0]}.",
                        "Use the boot script of the image for this instruction set.",
                        where
                    );
                return false;
            case "booti" or "bootz" or "bootm":
                Boot(words, where);
                return false;
            case "false":
                return false;
            default:
                return true;
        }
    }

    private bool Load(string address, string file, string where)
    {
        var path = file.StartsWith('/') ? file : "/" + file;
        if (volume.Tree!.Read(path) is { } bytes)
        {
            memory[address] = new(volume.Name(path), bytes);
            variables["filesize"] = bytes.Length.ToString("x");
            return true;
        }
        memory.Remove(address);
        var (cause, what) =
            path.TrimEnd('\r').EndsWith(".dtb", StringComparison.Ordinal) ? ("dtb-missing", "device tree")
            : path.Contains("initr", StringComparison.OrdinalIgnoreCase) ? ("initrd-missing", "initial file system")
            : ("boot-files-missing", "file");
        // The first file that is lost explains what follows: an environment file that is missing leaves wrong names behind.
        lost ??= new(cause, $"The {what} {BootChain.Shown(path)} is not there.", "Put it there, or correct its name.", where);
        return false;
    }

    private bool Test(string[] words) =>
        words switch
        {
            ["-e", _, _, var file] => volume.Tree!.Find(file.StartsWith('/') ? file : "/" + file) is not null,
            ["-n", var text] => text.Length > 0,
            ["-n"] => false,
            ["-z", var text] => text.Length == 0,
            ["-z"] => true,
            [var a, "=" or "==", var b] => a == b,
            [var a, "!=", var b] => a != b,
            ["!", .. var rest] => !Test(rest),
            _ => false,
        };

    private void Boot(string[] words, string where)
    {
        var kernelAt = words.Length > 1 ? words[1].Split('#')[0] : variables.GetValueOrDefault("loadaddr", "");
        if (!memory.TryGetValue(kernelAt, out var kernelFile))
        {
            broke ??= lost ?? new("boot-files-missing", "No kernel was loaded.", "Correct the script.", where);
            return;
        }
        var kernel = KernelFile.Identify(kernelFile.Bytes, unpack);
        if (BootChain.KernelBreak(kernel, kernelFile.Where, board) is { } broken)
        {
            broke ??= broken;
            return;
        }
        Loaded? initial = null,
            tree = null;
        if (kernel.Kind == "FIT" && words.Length == 2)
        {
            initial = kernel.FitRamDisk is { } disk ? new(kernelFile.Where, disk) : null;
            tree = kernel.FitTree is { } blob ? new(kernelFile.Where, blob) : null;
        }
        else
        {
            if (words.Length > 2 && words[2] != "-")
            {
                if (memory.TryGetValue(words[2].Split(':')[0], out var disk))
                    initial = disk;
                else
                {
                    broke ??= lost ?? new("initrd-missing", "The initial file system was not loaded.", "Correct the script.", where);
                    return;
                }
            }
            if (words.Length > 3 && words[3] != variables["fdt_addr"] && !memory.TryGetValue(words[3], out tree))
            {
                broke ??= lost ?? new("dtb-missing", "The device tree was not loaded.", "Correct the script.", where);
                return;
            }
        }
        if (tree is not null && BootChain.TreeBreak(tree, board) is { } damaged)
        {
            broke ??= damaged;
            return;
        }
        if (lost is not null)
            notes.Add((lost.Text, lost.Where));
        handover = new(where, variables["bootargs"], kernel, kernelFile.Where, initial, null, tree, tree is null);
    }

    private string[] Words(string text) => ShellWords.Of(text, variables.GetValueOrDefault);
}
