using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>Plays a U-Boot script: the commands of its shell that decide what is loaded and started (doc/usage/cmdline and cmd/). Commands it does not know count as done.</summary>
internal sealed partial class BootScript(Passage passage, Volume volume, string prefix)
{
    private const int DeepestRun = 40;
    private readonly IReadOnlyList<Volume> volumes = passage.Volumes;
    private readonly DryBoard board = passage.Board;
    private readonly LoaderMemory memory = new();
    private readonly Dictionary<string, string> variables = new(LoaderSettings.Of(passage.Board))
    {
        ["devtype"] = Medium(passage.Board),
        ["devnum"] = "0",
        ["distro_bootpart"] = volume.Partition.Number.ToString(CultureInfo.InvariantCulture),
        ["prefix"] = prefix,
        ["fdtfile"] = "virt.dtb",
        ["bootargs"] = "",
    };
    private string tree = "";
    private string? network;
    private Break? lost;
    private Handover? handover;
    private Break? broke;
    private string script = "";
    private ShellPlayer? player;
    private int runs;

    /// <summary>What the loader calls the medium.</summary>
    private static string Medium(DryBoard board) => board.BootMedium == "sd" ? "mmc" : board.BootMedium;

    public Taken Run(string path, byte[] bytes)
    {
        var image = LegacyImage.Read(bytes);
        script = volume.Name(path);
        if (image.Fault is { } fault)
            return new Break(
                CauseIds.LoaderConfigMissing,
                $"The boot script cannot be used: {fault}.",
                "Make the boot script again with mkimage.",
                script
            );
        if (image.Type != LegacyImage.Script || image.Data.Length < 8)
            return new Break(
                CauseIds.LoaderConfigMissing,
                "boot.scr is no script.",
                "Make the boot script with mkimage -T script.",
                script
            );
        if (LoaderMemory.Number(variables["scriptaddr"]) is not null)
            memory.Put(variables["scriptaddr"], new(script, bytes), script);
        // A list of sizes, ended by 0, stands before the text.
        var text = Encoding.UTF8.GetString(image.Data.AsSpan(8)).TrimEnd('\0');
        Play(text);
        if (handover is not null)
            return handover;
        return lost is not null && broke is not null
            ? lost
            : broke
                ?? lost
                ?? OfNetwork()
                ?? new Break(CauseIds.BootFilesMissing, "The boot script ends without starting a kernel.", "Correct the script.", script);
    }

    private Break? OfNetwork() =>
        network is null
            ? null
            : new(
                null,
                "The boot script asks the network for a system: what comes from there cannot be told from the image.",
                "Put the system on the card, or look at what the network gives.",
                network
            );

    private bool Play(string text)
    {
        // The shell reads a carriage return as a part of the word before it, so a keyword before one is none.
        if (Keyword().Match(text) is { Success: true } windows)
        {
            broke ??= new(
                CauseIds.LoaderConfigMissing,
                "The boot script has Windows line ends, which are a syntax error for the loader.",
                "Save its text with plain line ends and make the boot script again.",
                $"{script}:{text.AsSpan(0, windows.Index).Count('\n') + 1}"
            );
            lost = null;
            return false;
        }
        var parts = ShellScript.Read(text, braces: false);
        player ??= new(Command, _ => true, () => handover is not null) { Set = (name, value) => variables[name] = value, Words = Each };
        var result = player.Play(parts.Parts);
        if (parts.Unclosed is { } open && handover is null)
            broke ??= new(
                CauseIds.LoaderConfigMissing,
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
                return ImportEnvironment(words);
            case "env" when words is ["env", "exists", var name, ..]:
                return variables.ContainsKey(name);
            case "load" or "fatload" or "ext4load" or "ext2load" when words.Length >= 5:
                return Load(words[1], words[2], words[3], words[4], where);
            case "size" or "ext4size" or "fatsize" when words.Length >= 4:
                if (At(words[1], words[2])?.Tree?.Find(Rooted(words[3])) is not { IsFolder: false } sized)
                    return false;
                variables["filesize"] = sized.Size.ToString("x", CultureInfo.InvariantCulture);
                return true;
            case "setexpr" when words.Length >= 3:
                return SetExpression(words);
            case "itest" or "itest.b" or "itest.w" or "itest.l" when words.Length == 4:
                return ShellTest.Of([Hex(words[1]), words[2], Hex(words[3])], (_, _) => false);
            case "cp" or "cp.b" or "cp.w" or "cp.l" when words.Length == 4:
                return Copy(
                    words[1],
                    words[2],
                    LoaderMemory.Number(words[3])
                        * (
                            words[0] switch
                            {
                                "cp.b" => 1u,
                                "cp.w" => 2u,
                                _ => 4u,
                            }
                        ),
                    where
                );
            case "fdt" when words is ["fdt", "move", var moved, var to, ..]:
                tree = to;
                return Copy(moved, to, null, where);
            case "fdt" when words.Length >= 2:
                return Tree(words);
            case "sysboot" when words.Length >= 6:
                return Extlinux(words);
            case "source" when words.Length >= 2:
                return Source(words[1].Split(':')[0]);
            case "dhcp" or "tftpboot" or "tftp" or "bootp" or "nfs" or "pxe" or "wget":
                network ??= where;
                return false;
            case "test":
                return words.Length > 2 // fewer are false (cmd/test.c)
                    && ShellTest.Of(
                        words.AsSpan(1),
                        (_, named) => named.Length == 3 && At(named[0], named[1])?.Tree?.Find(Rooted(named[2])) is not null
                    );
            case "part" when words.Length is 5 or 6:
                return Part(words);
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
                        CauseIds.LoaderConfigMissing,
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

    /// <summary>A blank before "=" belongs to the name, a carriage return to the value unless -r takes it off (lib/hashtable.c).</summary>
    private bool ImportEnvironment(string[] words)
    {
        if (words.Skip(2).Select(w => memory[w]).FirstOrDefault(f => f is not null) is not { } environment)
            return false;
        foreach (var whole in Encoding.UTF8.GetString(environment.Bytes).Split('\n'))
        {
            var pair = (words.Contains("-r") ? whole.TrimEnd('\r') : whole).TrimStart(' ', '\t');
            if (pair.IndexOf('=') is > 0 and var equals && pair[0] != '#')
                variables[pair[..equals]] = pair[(equals + 1)..];
        }
        return true;
    }

    private bool Source(string address)
    {
        if (runs >= DeepestRun)
            return true;
        runs++;
        var sourced =
            memory[address] is { } inner
            && LegacyImage.Read(inner.Bytes) is { Fault: null, Type: LegacyImage.Script, Data.Length: > 8 } read
            && Play(Encoding.UTF8.GetString(read.Data.AsSpan(8)).TrimEnd('\0'));
        runs--;
        return sourced;
    }

    private bool Part(string[] words)
    {
        switch (words)
        {
            case [_, "number", _, _, var label, var into]:
                if (volumes.FirstOrDefault(v => v.Partition.Name == label) is not { } numbered)
                    return false;
                variables[into] = numbered.Partition.Number.ToString("x", CultureInfo.InvariantCulture);
                return true;
            case [_, "uuid", var type, var device, var variable]:
                if (At(type, device) is not { } wanted)
                    return false;
                variables[variable] = wanted.Partition.PartUuid;
                return true;
            default:
                return true;
        }
    }

    private static string Hex(string text) => LoaderMemory.Number(text)?.ToString(CultureInfo.InvariantCulture) ?? text;

    /// <summary>setexpr: arithmetic in base 16 (cmd/setexpr.c); texts are left as they are.</summary>
    private bool SetExpression(string[] words)
    {
        if (words.Length == 3)
            variables[words[1]] = words[2];
        if (words.Length != 5 || LoaderMemory.Number(words[2]) is not { } a || LoaderMemory.Number(words[4]) is not { } b)
            return words.Length == 3;
        var result = words[3] switch
        {
            "+" => a + b,
            "-" => a - b,
            "*" => a * b,
            "/" when b > 0 => a / b,
            "%" when b > 0 => a % b,
            "&" => a & b,
            "|" => a | b,
            "^" => a ^ b,
            _ => (ulong?)null,
        };
        if (result is { } number)
            variables[words[1]] = number.ToString("x", CultureInfo.InvariantCulture);
        return result is not null;
    }

    /// <summary>fdt: which tree is worked on, and overlays laid over it. One that fails leaves the tree unusable (libfdt, fdt_overlay_apply).</summary>
    private bool Tree(string[] words)
    {
        switch (words)
        {
            case ["fdt", "addr", "-q" or "-c", var asked, ..]:
                if (memory[asked] is null)
                    return false;
                tree = asked;
                return true;
            case ["fdt", "addr", var named, ..]:
                tree = named;
                return memory[named] is not null || named == variables["fdt_addr"] || named == variables["fdtcontroladdr"];
            case ["fdt", "apply", var overlay, ..]:
                if (memory[tree] is not { } below || memory[overlay] is not { } above)
                    return false;
                if (TreeOverlay.Lay(below.Bytes, above.Bytes, above.Where) is { Value: { } laid })
                {
                    memory.Change(tree, laid);
                    return true;
                }
                memory.Change(tree, [0xFF, 0xFF, 0xFF, 0xFF, .. below.Bytes.Skip(4)]);
                passage.Notes.Add(
                    (
                        $"The overlay {above.Where} does not fit the tree {below.Where}, and the loader makes the tree unusable by that.",
                        above.Where
                    )
                );
                return false;
            default:
                return true;
        }
    }

    /// <summary>Puts what lies at one address at another one too, so that the first can be used again (cmd/mem.c, cmd/fdt.c); false where nothing that was loaded lies there.</summary>
    /// <param name="bytes">How many of it; null for all.</param>
    private bool Copy(string from, string to, ulong? bytes, string where)
    {
        if (memory[from] is not { } held)
            return false;
        var whole = bytes is null || bytes >= (ulong)held.Bytes.Length;
        memory.Put(to, whole ? held : held with { Bytes = held.Bytes[..(int)bytes!] }, where);
        return true;
    }

    /// <summary>sysboot: a menu of labels that the script names.</summary>
    private bool Extlinux(string[] words)
    {
        if (At(words[1], words[2]) is not { Tree: { } files } from || files.Read(Rooted(words[5])) is not { } menu)
            return false;
        var taken = ExtlinuxMenu.Follow(passage, from, Rooted(words[5]), menu);
        if (taken.Starts)
            handover = taken.Handover;
        else
            broke ??= taken.Breaks.FirstOrDefault();
        return false;
    }

    private bool Load(string type, string device, string address, string file, string where)
    {
        var path = Rooted(file);
        if (At(type, device) is { Tree: not null } from && from.Tree.Read(path) is { } bytes)
        {
            memory.Put(address, new(from.Name(path), bytes), where);
            variables["filesize"] = bytes.Length.ToString("x", CultureInfo.InvariantCulture);
            return true;
        }
        memory.Take(address);
        var (cause, what) =
            path.TrimEnd('\r').EndsWith(".dtb", StringComparison.Ordinal) ? (CauseIds.DtbMissing, "device tree")
            : path.Contains("initr", StringComparison.OrdinalIgnoreCase) ? (CauseIds.InitrdMissing, "initial file system")
            : (CauseIds.BootFilesMissing, "file");
        // The first file that is lost explains what follows: an environment file that is missing leaves wrong names behind.
        lost ??=
            type == Medium(board)
                ? new(cause, $"The {what} {Links.Shown(path)} is not there.", "Put it there, or correct its name.", where)
                : new(
                    cause,
                    $"The script loads {Links.Shown(path)} from {type} {device}, and this board starts from {Medium(board)}.",
                    "Write ${devtype} and ${devnum} there, which the loader sets to the medium it started from.",
                    where
                );
        return false;
    }

    private static string Rooted(string file) => file.StartsWith('/') ? file : "/" + file;

    /// <summary>The partition that a device names, as "0:2" with the number in base 16; without one it is the first (blk_get_device_part_str). Another kind of medium is not there.</summary>
    private Volume? At(string type, string device)
    {
        if (type != Medium(board))
            return null;
        var number = device.IndexOf(':') is >= 0 and var colon ? device[(colon + 1)..] : "1";
        return int.TryParse(number, NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var wanted)
            ? volumes.FirstOrDefault(v => v.Partition.Number == wanted) ?? (volume.Partition.Number == 0 ? volume : null)
            : null;
    }

    /// <summary>The words of a loop: quotation marks do not keep them together here, as the loader's shell shows.</summary>
    private string[] Each(string text) => [.. Words(text).SelectMany(w => w.Split([' ', '\t'], StringSplitOptions.RemoveEmptyEntries))];

    private string[] Words(string text) => ShellWords.Of(text, variables.GetValueOrDefault);

    [GeneratedRegex(@"(?<=^|[\n;])[ \t]*(?:then|else|fi|do|done)\r(?=\n|$)")]
    private static partial Regex Keyword();
}
