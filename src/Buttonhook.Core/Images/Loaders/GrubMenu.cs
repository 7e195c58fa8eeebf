using System.Text;
using System.Text.RegularExpressions;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>Plays a configuration of GRUB (GRUB manual, chapters 6 and 16): what decides the entry that is started, and what that entry loads. Commands it does not know count as done.</summary>
internal sealed partial class GrubMenu
{
    private const int DeepestFile = 6;
    private readonly Passage passage;
    private readonly IReadOnlyList<Volume> volumes;
    private readonly DryBoard board;
    private readonly List<(string Text, string? Where)> notes;
    private readonly List<Break> breaks = [];
    private readonly Dictionary<string, string> variables = new() { ["default"] = "0", ["feature_menuentry_id"] = "y" };
    private readonly Dictionary<string, ShellBlock> functions = [];
    private readonly ShellPlayer player;
    private Volume root;
    private Volume start;
    private string path = "";
    private Menu menu;
    private Taken? end;
    private KernelFile? kernel;
    private string kernelWhere = "";
    private string where = "";
    private string command = "";
    private Loaded? initial;
    private string? missing;
    private Loaded? tree;
    private int depth;

    /// <summary>An entry (with what it does) or a menu (with its entries).</summary>
    private sealed record Menu(string Title, string? Id, Volume Start, string Path, int Line, IReadOnlyList<ShellPart>? Body)
    {
        public List<Menu> Entries { get; } = [];
    }

    public GrubMenu(Passage passage, Volume start)
    {
        (this.passage, volumes, this.start, board, notes) = (passage, passage.Volumes, start, passage.Board, passage.Notes);
        root = start;
        menu = Empty();
        player = new(Command, Block, () => end is not null) { Set = Set, Words = Words };
    }

    private Menu Empty() => new("", null, start, path, 0, null);

    /// <summary>Plays the configuration at a path of the partition the menu was made for.</summary>
    public Taken Run(string path, string text)
    {
        Set("root", Name(start));
        variables["prefix"] = $"({Name(start)}){path[..path.LastIndexOf('/')]}";
        variables["grub_platform"] = board.Loader == "bios" ? "pc" : "efi";
        File(start, path, text, enter: true);
        return end!.Value;
    }

    /// <summary>Plays a file. One that is entered has the last word: what is started is decided when it ends.</summary>
    private void File(Volume volume, string file, string text, bool enter)
    {
        var before = (start, path);
        (start, path) = (volume, file);
        var script = ShellScript.Read(text.Replace("\r", ""), braces: true);
        player.Play(script.Parts);
        if (end is null && script.Unclosed is { } open && menu.Entries.Count == 0)
            end = Bad($"“{open.Head.TrimEnd('{').Trim()}” has no closing word or brace.", open.Line);
        if (end is null && enter)
            end = kernel is not null ? Started("") : Chosen();
        (start, path) = before;
    }

    private Taken Bad(string what, int line) =>
        new Break(CauseIds.LoaderConfigMissing, what, "Write grub.cfg again.", $"{start.Name(path)}{(line > 0 ? $":{line}" : "")}");

    private Taken Chosen()
    {
        if (menu.Entries.Count == 0)
            return Bad("grub.cfg has no menu entry.", 0);
        // Without a timeout the menu waits for a key for ever (GRUB manual, "timeout").
        if (!int.TryParse(variables.GetValueOrDefault("timeout"), out var seconds) || seconds < 0)
            breaks.Add(
                new(
                    CauseIds.AutobootInterrupted,
                    "The menu sets no timeout: it waits until somebody presses a key.",
                    "Add set timeout=5 to grub.cfg.",
                    start.Name(path),
                    new FileEdit(start.Partition.Number, path, 0, null, "set timeout=5")
                )
            );
        var here = menu;
        var taken = board.Entry is { } entry ? $"{entry - 1}" : variables["default"];
        foreach (var wanted in taken.Split('>'))
        {
            if (here.Entries.Count == 0)
                break;
            var next =
                int.TryParse(wanted, out var index) && index >= 0 && index < here.Entries.Count
                    ? here.Entries[index]
                    : here.Entries.FirstOrDefault(e => e.Title == wanted || e.Id == wanted);
            if (next is null)
                notes.Add(($"The default names {wanted}, which is no entry; the first one is started.", start.Name(path)));
            here = next ?? here.Entries[0];
        }
        // A menu in the menu opens on its first entry.
        while (here.Body is null && here.Entries.Count > 0)
            here = here.Entries[0];
        (start, path) = (here.Start, here.Path);
        where = $"{start.Name(path)}:{here.Line}";
        player.Play(here.Body ?? []);
        return end ?? Started(here.Title);
    }

    private Taken Started(string title)
    {
        if (kernel is null)
            return new Break(
                CauseIds.BootFilesMissing,
                title.Length == 0 ? "grub.cfg starts no kernel." : $"The entry {title} starts no kernel.",
                "Add a linux line.",
                where
            );
        passage.CommandLine = command;
        return new(
            new(where, command, kernel, kernelWhere, initial, missing, tree, tree is null && board.Architecture != InstructionSet.Amd64),
            breaks
        );
    }

    private bool Block(ShellBlock block)
    {
        var words = Words(block.Head);
        switch (words.FirstOrDefault())
        {
            case "function" when words.Length > 1:
                functions[words[1]] = block;
                return true;
            case "menuentry" or "submenu" when words.Length > 1:
                var id = Array.IndexOf(words, "--id") is >= 0 and var at && at + 1 < words.Length ? words[at + 1] : null;
                var entry = new Menu(words[1], id, start, path, block.Line, words[0] == "menuentry" ? block.Body : null);
                menu.Entries.Add(entry);
                if (words[0] == "submenu")
                {
                    var outer = menu;
                    menu = entry;
                    player.Play(block.Body);
                    menu = outer;
                }
                return true;
            default:
                return player.Play(block.Body);
        }
    }

    private void Set(string name, string value)
    {
        variables[name] = value;
        if (name == "root" && Device(value) is { } volume)
            root = volume;
    }

    private bool Command(ShellCommand simple)
    {
        if (Words(simple.Text) is not [var word, ..] words)
            return true;
        var at = $"{start.Name(path)}:{simple.Line}";
        switch (word)
        {
            case "set" when words.Length > 1:
                // "set a='b' c" sets only a; a value in quotes is one word already.
                return Assigned(words[1]);
            case "[" when words[^1] == "]":
                return ShellTest.Of(words.AsSpan(1..^1), IsThere);
            case "test":
                return ShellTest.Of(words.AsSpan(1), IsThere);
            // Nobody holds a key while it starts.
            case "false" or "keystatus":
                return false;
            case "search" or "search.fs_uuid" or "search.fs_label" or "search.file":
                return Search(words, at);
            case "load_env":
                LoadEnvironment();
                return true;
            case "configfile" or "source" or "." when words.Length > 1:
                return Enter(word, words[1], at);
            case "linux" or "linuxefi" or "linux16" when words.Length > 1:
                return Kernel(words, at);
            case "initrd" or "initrdefi" or "initrd16" when words.Length > 1:
                return InitialFiles(words[1..]);
            case "devicetree" when words.Length > 1:
                var (volume, file) = Place(words[1]);
                tree = volume.Tree?.Read(file) is { } blob ? new(volume.Name(file), blob) : null;
                if (tree is null)
                    notes.Add(($"The device tree {file} is not there; the loader goes on with that of the firmware.", at));
                else if (Links.OfTree(tree, board) is { } damaged)
                {
                    breaks.Add(damaged);
                    tree = null;
                }
                return tree is not null;
            case "boot" when kernel is not null:
                end = Started("");
                return true;
            default:
                if (functions.TryGetValue(word, out var function) && depth < DeepestFile)
                {
                    depth++;
                    player.Play(function.Body);
                    depth--;
                    return true;
                }
                return Assigned(word);
        }
    }

    private bool Assigned(string word)
    {
        if (word.IndexOf('=') is > 0 and var equals)
            Set(word[..equals], word[(equals + 1)..]);
        return true;
    }

    private bool IsThere(char question, string[] named)
    {
        var (volume, file) = Place(named[0]);
        return volume.Tree?.Find(file) is not null && (question != 's' || volume.Tree.Read(file) is { Length: > 0 });
    }

    private bool Enter(string word, string name, string at)
    {
        var (volume, file) = Place(name);
        if (depth >= DeepestFile || volume.Tree?.Read(file) is not { } bytes)
        {
            if (word == "configfile")
                end = new Break(
                    CauseIds.LoaderConfigMissing,
                    $"The configuration {file} is not there.",
                    "Correct the path, or put it there.",
                    at
                );
            return false;
        }
        depth++;
        if (word == "configfile")
            menu = Empty();
        // configfile does not come back to what stood behind it.
        File(volume, file, Encoding.UTF8.GetString(bytes), enter: word == "configfile");
        depth--;
        return true;
    }

    private bool Kernel(string[] words, string at)
    {
        var (volume, file) = Place(words[1]);
        (kernelWhere, command, where) = (volume.Name(file), string.Join(' ', words[2..]), at);
        if (volume.Tree?.Read(file) is not { } bytes)
        {
            kernel = KernelFile.Missing;
            breaks.Add(
                new(
                    CauseIds.BootFilesMissing,
                    $"The kernel {file} is not there.",
                    "Put it there, or correct the entry.",
                    at,
                    Nearest.Edit(volume, at, file)
                )
            );
            return false;
        }
        // A kernel that is there takes the place of one that was not.
        breaks.RemoveAll(b => b.Cause == CauseIds.BootFilesMissing);
        (kernel, var broken) = passage.Kernel(bytes, kernelWhere);
        if (broken is not null)
            breaks.Add(broken);
        return true;
    }

    /// <summary>Several initial file systems are put one behind the other.</summary>
    private bool InitialFiles(string[] names)
    {
        foreach (var (volume, file) in names.Select(Place))
            if (volume.Tree?.Read(file) is not { } bytes)
                missing = $"the initial file system {file} is not there, and the loader goes on without it";
            else if (initial is null)
                initial = new(volume.Name(file), bytes);
            else
                initial = initial.Then(bytes);
        // One that is not there makes the whole command fail: nothing is loaded.
        if (missing is not null)
            initial = null;
        return missing is null;
    }

    private string[] Words(string line) => ShellWords.Of(line, variables.GetValueOrDefault);

    private static string Name(Volume volume) => $"hd0,{volume.Partition.Number}";

    /// <summary>"(hd0,gpt2)", "hd0,msdos1": the partition by its number.</summary>
    private Volume? Device(string name) =>
        Digits().Match(name) is { Success: true } m && int.TryParse(m.Groups[1].Value, out var number)
            ? volumes.FirstOrDefault(v => v.Partition.Number == number)
            : null;

    private (Volume, string) Place(string file) =>
        file.StartsWith('(') && file.IndexOf(')') is > 0 and var close
            ? (Device(file[..close]) ?? root, file[(close + 1)..])
            : (root, file);

    /// <summary>Both spellings: "search --fs-uuid --set=root ID" and "search.fs_uuid ID root".</summary>
    private bool Search(string[] words, string at)
    {
        var options = words[1..].Where(w => w.StartsWith('-')).ToList();
        var plain = words[1..].Where(w => !w.StartsWith('-')).ToList();
        var by =
            words[0] != "search" ? words[0][7..]
            : options.Any(w => w is "--fs-uuid" or "-u") ? "fs_uuid"
            : options.Any(w => w is "--label" or "-l") ? "fs_label"
            : "file";
        // "--set root ID" and "--hint hd0,gpt2 ID" too: what is looked for stands last, but first in the other spelling.
        var wanted = (words[0] == "search" ? plain.LastOrDefault() : plain.FirstOrDefault()) ?? "";
        var variable =
            words[0] != "search" ? plain.ElementAtOrDefault(1) ?? "root"
            : options.FirstOrDefault(o => o.StartsWith("--set=", StringComparison.Ordinal)) is { } set ? set[6..]
            : options.Contains("--set") && plain.Count > 1 ? plain[0]
            : "root";
        var found = by switch
        {
            "fs_uuid" => volumes.FirstOrDefault(v => string.Equals(v.Tree?.Uuid, wanted, StringComparison.OrdinalIgnoreCase)),
            "fs_label" => volumes.FirstOrDefault(v => v.Tree?.Label == wanted),
            _ => volumes.FirstOrDefault(v => v.Tree?.Find(wanted) is not null),
        };
        if (found is null)
        {
            notes.Add(($"The search for {wanted} finds no file system.", at));
            return false;
        }
        Set(variable, Name(found));
        return true;
    }

    /// <summary>The environment block beside the configuration: lines of name=value behind a head line, filled up with "#".</summary>
    private void LoadEnvironment()
    {
        var (volume, file) = Place(variables["prefix"] + "/grubenv");
        foreach (var line in Encoding.UTF8.GetString(volume.Tree?.Read(file) ?? []).Split('\n'))
            if (line.Length > 0 && line[0] != '#')
                Assigned(line);
    }

    [GeneratedRegex(@",(?:gpt|msdos)?(\d+)\)?\z")]
    private static partial Regex Digits();
}
