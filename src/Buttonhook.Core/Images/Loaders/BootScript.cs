using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;
using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Images;

/// <summary>Plays a U-Boot script: the commands of its shell that decide what is loaded and started (doc/usage/cmdline and cmd/). Commands it does not know count as done.</summary>
internal sealed partial class BootScript(Passage passage, Volume volume, string prefix)
{
    private const int DeepestRun = 40;
    private readonly IReadOnlyList<Volume> volumes = passage.Volumes;
    private readonly DryBoard board = passage.Board;
    private readonly Dictionary<string, Loaded> memory = [];
    private readonly Dictionary<string, string> variables = new()
    {
        ["devtype"] = passage.Board.BootMedium switch
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
    private ShellPlayer? player;
    private int runs;

    public Taken Run(string path, byte[] bytes)
    {
        var image = LegacyImage.Read(bytes);
        script = volume.Name(path);
        if (image.Fault is { } fault)
            return new Break(
                "loader-config-missing",
                $"The boot script cannot be used: {fault}.",
                "Make the boot script again with mkimage.",
                script
            );
        if (image.Type != LegacyImage.Script || image.Data.Length < 8)
            return new Break("loader-config-missing", "boot.scr is no script.", "Make the boot script with mkimage -T script.", script);
        // A list of sizes, ended by 0, stands before the text.
        var text = Encoding.UTF8.GetString(image.Data.AsSpan(8)).TrimEnd('\0');
        Play(text);
        if (handover is not null)
            return handover;
        return lost is not null && broke is not null
            ? lost
            : broke
                ?? lost
                ?? new Break("boot-files-missing", "The boot script ends without starting a kernel.", "Correct the script.", script);
    }

    private bool Play(string text)
    {
        // The shell reads a carriage return as a part of the word before it, so a keyword before one is none.
        if (Keyword().Match(text) is { Success: true } windows)
        {
            broke ??= new(
                "loader-config-missing",
                "The boot script has Windows line ends, which are a syntax error for the loader.",
                "Save its text with plain line ends and make the boot script again.",
                $"{script}:{text.AsSpan(0, windows.Index).Count('\n') + 1}"
            );
            lost = null;
            return false;
        }
        var parts = ShellScript.Read(text, braces: false);
        player ??= new(Command, _ => true, () => handover is not null) { Set = (name, value) => variables[name] = value, Words = Words };
        var result = player.Play(parts.Parts);
        if (parts.Unclosed is { } open && handover is null)
            broke ??= new(
                "loader-config-missing",
                $"“{open.Head}” in the boot script is never closed, which is a syntax error for the loader.",
                "Close it (fi, done) and make the boot script again.",
                $"{script}:{open.Line}"
            );
        return result;
    }

    private bool Command(ShellCommand command)
    {
        var words = Words(command.Text);
        if (words.Length == 0)
            return true;
        var where = $"{script}:{command.Line}";
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
                return Load(words[2], words[3], words[4], where);
            case "test":
                return words.Length > 2 // fewer are false (cmd/test.c)
                    && ShellTest.Of(
                        words.AsSpan(1),
                        (_, named) => named.Length == 3 && At(named[1])?.Tree?.Find(Rooted(named[2])) is not null
                    );
            case "part" when words is ["part", "uuid", _, _, var variable]:
                if (At(words[3]) is not { } wanted)
                    return false;
                variables[variable] = wanted.Partition.PartUuid;
                return true;
            case "run" when runs < DeepestRun:
                runs++;
                var ran = words[1..].All(name => variables.TryGetValue(name, out var text) && Play(text));
                runs--;
                return ran;
            case "exit":
                player!.End();
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

    private bool Load(string device, string address, string file, string where)
    {
        var path = Rooted(file);
        if (At(device) is { Tree: not null } from && from.Tree.Read(path) is { } bytes)
        {
            memory[address] = new(from.Name(path), bytes);
            variables["filesize"] = bytes.Length.ToString("x");
            return true;
        }
        memory.Remove(address);
        var (cause, what) =
            path.TrimEnd('\r').EndsWith(".dtb", StringComparison.Ordinal) ? ("dtb-missing", "device tree")
            : path.Contains("initr", StringComparison.OrdinalIgnoreCase) ? ("initrd-missing", "initial file system")
            : ("boot-files-missing", "file");
        // The first file that is lost explains what follows: an environment file that is missing leaves wrong names behind.
        lost ??= new(cause, $"The {what} {Links.Shown(path)} is not there.", "Put it there, or correct its name.", where);
        return false;
    }

    private static string Rooted(string file) => file.StartsWith('/') ? file : "/" + file;

    /// <summary>The partition that a device names, as "0:2" with the number in base 16; without one it is the first (blk_get_device_part_str).</summary>
    private Volume? At(string device)
    {
        var number = device.IndexOf(':') is >= 0 and var colon ? device[(colon + 1)..] : "1";
        return int.TryParse(number, NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var wanted)
            ? volumes.FirstOrDefault(v => v.Partition.Number == wanted) ?? (volume.Partition.Number == 0 ? volume : null)
            : null;
    }

    private void Boot(string[] words, string where)
    {
        var kernelAt = words.Length > 1 ? words[1].Split('#')[0] : variables.GetValueOrDefault("loadaddr", "");
        if (!memory.TryGetValue(kernelAt, out var kernelFile))
        {
            broke ??= lost ?? new("boot-files-missing", "No kernel was loaded.", "Correct the script.", where);
            return;
        }
        var (kernel, broken) = passage.Kernel(kernelFile.Bytes, kernelFile.Where);
        if (broken is not null)
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
        if (tree is not null && Links.OfTree(tree, board) is { } damaged)
        {
            broke ??= damaged;
            return;
        }
        if (lost is not null)
            passage.Notes.Add((lost.Text, lost.Where));
        handover = new(where, variables["bootargs"], kernel, kernelFile.Where, initial, null, tree, tree is null);
    }

    private string[] Words(string text) => ShellWords.Of(text, variables.GetValueOrDefault);

    [GeneratedRegex(@"(?<=^|[\n;])[ \t]*(?:then|else|fi|do|done)\r(?=\n|$)")]
    private static partial Regex Keyword();
}
