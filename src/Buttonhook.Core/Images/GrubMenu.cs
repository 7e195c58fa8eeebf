using System.Text.RegularExpressions;

namespace Buttonhook.Core.Images;

/// <summary>The part of GRUB's configuration language that decides what is started: set, search, configfile, menu entries with linux and initrd (GRUB manual, chapters 6 and 16).</summary>
internal sealed partial class GrubMenu(
    IReadOnlyList<Volume> volumes,
    Volume start,
    DryBoard board,
    Func<Stream, Stream?> unpack,
    List<(string Text, string? Where)> notes
)
{
    private sealed record Entry(string Title, string? Id, List<(string Text, int Line)> Lines);

    public (Handover?, Break?) Run(string path, string text, int depth = 0)
    {
        var variables = new Dictionary<string, string> { ["default"] = "0" };
        var root = start;
        var entries = new List<Entry>();
        var lines = text.Split('\n');
        Entry? open = null;
        for (var i = 0; i < lines.Length; i++)
        {
            var line = lines[i].Trim();
            if (MenuEntry().Match(line) is { Success: true } entry)
            {
                open = new(entry.Groups[1].Value, Id().Match(line) is { Success: true } id ? id.Groups[1].Value : null, []);
                entries.Add(open);
            }
            else if (open is not null && line == "}")
                open = null;
            else if (open is not null)
                open.Lines.Add((line, i + 1));
            else if (Words(line, variables) is [var command, ..] words)
            {
                if (command == "set" && words.Length > 1 && words[1].IndexOf('=') is > 0 and var equals)
                    variables[words[1][..equals]] = words[1][(equals + 1)..];
                if (command == "set" && words.Length > 1 && words[1].StartsWith("root=", StringComparison.Ordinal))
                    root = Device(words[1][5..]) ?? root;
                else if (command == "search")
                    root = Search(words) ?? root;
                else if (command is "configfile" or "source" && words.Length > 1 && depth < 4)
                {
                    var (volume, file) = Place(words[1], root);
                    if (volume.Tree?.Read(file) is { } next)
                        return new GrubMenu(volumes, volume, board, unpack, notes).Run(
                            file,
                            System.Text.Encoding.UTF8.GetString(next),
                            depth + 1
                        );
                    return (
                        null,
                        new(
                            "loader-config-missing",
                            $"The configuration {words[1]} is not there.",
                            "Correct the path, or put it there.",
                            $"{start.Name(path)}:{i + 1}"
                        )
                    );
                }
            }
        }
        // A menu entry that is never closed is a syntax error: GRUB leaves it out.
        if (open is not null)
            entries.Remove(open);
        if (entries.Count == 0)
            return (
                null,
                new(
                    "loader-config-missing",
                    open is null ? "grub.cfg has no menu entry." : $"The menu entry {open.Title} has no closing brace.",
                    "Write grub.cfg again.",
                    start.Name(path)
                )
            );
        var wanted = variables["default"];
        var chosen =
            int.TryParse(wanted, out var index) && index >= 0 && index < entries.Count
                ? entries[index]
                : entries.FirstOrDefault(e => e.Title == wanted || e.Id == wanted);
        if (chosen is null)
            notes.Add(($"The default names {wanted}, which is no entry; the first one is started.", start.Name(path)));
        return Start(chosen ?? entries[0], path, root, variables);
    }

    private (Handover?, Break?) Start(Entry entry, string path, Volume root, Dictionary<string, string> variables)
    {
        KernelFile? kernel = null;
        string kernelWhere = "",
            where = start.Name(path),
            command = "";
        Loaded? initial = null;
        string? missing = null;
        foreach (var (text, number) in entry.Lines)
        {
            var at = $"{start.Name(path)}:{number}";
            if (Words(text, variables) is not [var word, ..] words)
                continue;
            switch (word)
            {
                case "set" when words.Length > 1 && words[1].StartsWith("root=", StringComparison.Ordinal):
                    root = Device(words[1][5..]) ?? root;
                    break;
                case "search":
                    var found = Search(words);
                    if (found is null)
                        notes.Add(("The search finds no file system with that id.", at));
                    root = found ?? root;
                    break;
                case "linux" or "linuxefi" or "linux16" when words.Length > 1:
                    var (volume, file) = Place(words[1], root);
                    if (volume.Tree?.Read(file) is not { } bytes)
                        return (
                            null,
                            new("boot-files-missing", $"The kernel {file} is not there.", "Put it there, or correct the entry.", at)
                        );
                    kernel = KernelFile.Identify(bytes, unpack);
                    kernelWhere = volume.Name(file);
                    if (BootChain.KernelBreak(kernel, kernelWhere, board) is { } broken)
                        return (null, broken);
                    command = string.Join(' ', words[2..]);
                    where = at;
                    break;
                case "initrd" or "initrdefi" or "initrd16" when words.Length > 1:
                    var (initrdVolume, initrdFile) = Place(words[1], root);
                    if (initrdVolume.Tree?.Read(initrdFile) is { } initrd)
                        initial = new(initrdVolume.Name(initrdFile), initrd);
                    else
                        missing = $"the initial file system {initrdFile} is not there, and the loader goes on without it";
                    break;
            }
        }
        return kernel is null
            ? (null, new("boot-files-missing", $"The entry {entry.Title} starts no kernel.", "Add a linux line.", where))
            : (new(where, command, kernel, kernelWhere, initial, missing, null, board.Architecture != Boards.InstructionSet.Amd64), null);
    }

    private static string[] Words(string line, Dictionary<string, string> variables) =>
        line.Length == 0 || line[0] == '#' ? [] : ShellWords.Of(line, variables.GetValueOrDefault);

    /// <summary>"(hd0,gpt2)", "hd0,msdos1": the partition by its number.</summary>
    private Volume? Device(string name) =>
        Digits().Match(name) is { Success: true } m && int.TryParse(m.Groups[1].Value, out var number)
            ? volumes.FirstOrDefault(v => v.Partition.Number == number)
            : null;

    private (Volume, string) Place(string file, Volume root) =>
        file.StartsWith('(') && file.IndexOf(')') is > 0 and var end ? (Device(file[..end]) ?? root, file[(end + 1)..]) : (root, file);

    private Volume? Search(string[] words)
    {
        var wanted = words[^1];
        return words.Any(w => w is "--fs-uuid" or "-u")
                ? volumes.FirstOrDefault(v => string.Equals(v.Tree?.Uuid, wanted, StringComparison.OrdinalIgnoreCase))
            : words.Any(w => w is "--label" or "-l") ? volumes.FirstOrDefault(v => v.Tree?.Label == wanted)
            : words.Any(w => w is "--file" or "-f") ? volumes.FirstOrDefault(v => v.Tree?.Find(wanted) is not null)
            : null;
    }

    [GeneratedRegex("""^menuentry\s+["']([^"']*)["']""")]
    private static partial Regex MenuEntry();

    [GeneratedRegex("""(?:--id\s+|\$menuentry_id_option\s+)["']?([^"'\s]+)""")]
    private static partial Regex Id();

    [GeneratedRegex(@",(?:gpt|msdos)?(\d+)\)?$")]
    private static partial Regex Digits();
}
