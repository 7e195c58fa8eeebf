using System.Globalization;
using System.Text;
using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Images;

/// <summary>An initial file system: cpio archives in the "newc" form (Documentation/driver-api/early-userspace/buffer-format), one after another, each plain or compressed.</summary>
public sealed class InitialFiles
{
    private const int MostFiles = 200_000;
    private readonly Dictionary<string, (uint Mode, byte[] Content)> files = [];

    /// <summary>Why it cannot be unpacked, or null.</summary>
    public string? Fault { get; private set; }

    /// <summary>Whether at least one archive in it is whole.</summary>
    public bool Complete { get; private set; }

    /// <summary>Whether nothing is in it but what the kernel takes before it unpacks anything: microcode and tables of the firmware (Documentation/arch/x86/microcode).</summary>
    public bool OnlyFirmware => files.Keys.All(n => n is "" or "." or "kernel" || n.StartsWith("kernel/", StringComparison.Ordinal));

    /// <summary>Bytes it takes once unpacked.</summary>
    public long UnpackedBytes { get; private set; }

    /// <summary>The names in it, without a leading slash.</summary>
    public IReadOnlyCollection<string> Names => files.Keys;

    /// <summary>Unpacks as the kernel does (init/initramfs.c): piece by piece, and what came before a fault stays. The reason of a fault is in <see cref="Fault"/>.</summary>
    public static InitialFiles Read(byte[] bytes, Func<Stream, Stream?> unpack)
    {
        var result = new InitialFiles();
        try
        {
            if (bytes.Length >= 64 && Field.B32(bytes, 0) == 0x27051956)
            {
                var legacy = LegacyImage.Read(bytes);
                if (legacy.Fault is not null)
                {
                    result.Fault = legacy.Fault;
                    return result;
                }
                bytes = legacy.Data;
            }
            result.Pieces(bytes, unpack);
            if (result.files.Count == 0)
                result.Fault ??= "nothing is in it";
        }
        catch (UnreadableException e)
        {
            result.Fault = e.Message;
        }
        return result;
    }

    /// <summary>Archives and packed archives, one behind another, with zeros between them.</summary>
    private void Pieces(byte[] bytes, Func<Stream, Stream?> unpack)
    {
        var at = 0;
        while (at < bytes.Length && Fault is null)
        {
            if (bytes[at] == 0)
                at++;
            else if (bytes[at] == '0' && at % 4 == 0)
                at = Archive(bytes, at);
            else
            {
                var (inner, end, fault) = Packed.Unpack(bytes, at, unpack);
                // What came before it breaks off is unpacked all the same.
                for (var inside = 0; inside < inner.Length; )
                    if (inner[inside] == 0)
                        inside++;
                    else if (inner[inside] == '0')
                        try
                        {
                            inside = Archive(inner, inside);
                        }
                        catch (UnreadableException) when (fault is not null)
                        {
                            break;
                        }
                    else
                        throw new UnreadableException("what is packed in it is no archive (packed twice?), and the kernel unpacks once");
                Fault = fault;
                at = end ?? bytes.Length;
            }
        }
    }

    private void Linked(Dictionary<(uint, uint, uint), List<string>> links, (uint, uint, uint) file, string path, uint mode, byte[] content)
    {
        if (!links.TryGetValue(file, out var names))
            links[file] = names = [];
        if (content.Length == 0 && names.Count > 0)
            files[path] = (mode, files[names[0]].Content);
        names.Add(path);
        if (content.Length > 0)
            foreach (var other in names)
                files[other] = (files[other].Mode, content);
    }

    private int Archive(byte[] bytes, int at)
    {
        var links = new Dictionary<(uint, uint, uint), List<string>>();
        while (true)
        {
            if (at + 110 > bytes.Length || !bytes.AsSpan(at).StartsWith("07070"u8))
                throw new UnreadableException("an archive in it breaks off");
            uint Number(int field) =>
                uint.TryParse(
                    Encoding.ASCII.GetString(bytes, at + 6 + field * 8, 8),
                    NumberStyles.HexNumber,
                    CultureInfo.InvariantCulture,
                    out var n
                )
                    ? n
                    : throw new UnreadableException("a header in it is damaged");
            var (mode, size, nameSize) = (Number(1), Number(6), Number(11));
            if (nameSize is 0 or > 4096 || at + 110L + nameSize + size + 3 > bytes.Length + 3L || files.Count > MostFiles)
                throw new UnreadableException("an archive in it breaks off");
            var name = Encoding.UTF8.GetString(bytes, at + 110, (int)nameSize - 1);
            var data = (at + 110 + (int)nameSize + 3) & ~3;
            var next = (data + (int)size + 3) & ~3;
            if (name == "TRAILER!!!")
            {
                Complete = true;
                return Math.Min(next, bytes.Length);
            }
            UnpackedBytes += size;
            if (data + size > bytes.Length)
                throw new UnreadableException("an archive in it breaks off");
            var content = bytes[data..(data + (int)size)];
            var path = name.TrimStart('.').Trim('/');
            files[path] = (mode, content);
            // Names of one file stand without its content, but for one of them (init/initramfs.c, maybe_link).
            if (Number(4) > 1 && (mode & 0xF000) == 0x8000)
                Linked(links, (Number(0), Number(7), Number(8)), path, mode, content);
            at = next;
        }
    }

    /// <summary>The file at a path, links followed, or null.</summary>
    public byte[]? Find(string path, int hops = 0)
    {
        var parts = path.Split('/', StringSplitOptions.RemoveEmptyEntries);
        var walked = "";
        for (var k = 0; k < parts.Length; k++)
        {
            if (parts[k] == "..")
            {
                walked = walked.Contains('/') ? walked[..walked.LastIndexOf('/')] : "";
                continue;
            }
            var here = walked.Length == 0 ? parts[k] : $"{walked}/{parts[k]}";
            if (!files.TryGetValue(here, out var file))
            {
                // Archives may leave out the entries of folders.
                if (k == parts.Length - 1)
                    return null;
                walked = here;
                continue;
            }
            if ((file.Mode & 0xF000) == 0xA000)
            {
                var target = Encoding.UTF8.GetString(file.Content);
                return hops > 20
                    ? null
                    : Find($"{(target.StartsWith('/') ? "" : walked)}/{target}/{string.Join('/', parts[(k + 1)..])}", hops + 1);
            }
            if (k == parts.Length - 1)
                return file.Content;
            walked = here;
        }
        return null;
    }

    /// <summary>Whether a kernel module is in it, under either spelling of its name.</summary>
    public bool HasModule(string name) => ModuleFile(name) is not null;

    private string? ModuleFile(string name) => ModuleFiles().TryGetValue(name.Replace('-', '_'), out var file) ? file : null;

    private Dictionary<string, string>? moduleFiles;

    private Dictionary<string, string> ModuleFiles() =>
        moduleFiles ??= files
            .Keys.Where(IsModule)
            .GroupBy(f => KernelModule.NameOf(f))
            .ToDictionary(g => g.Key, g => g.First(), StringComparer.Ordinal);

    private static bool IsModule(string file) =>
        file.EndsWith(".ko", StringComparison.Ordinal) || file.Contains(".ko.", StringComparison.Ordinal);

    /// <summary>Whether the list of what a kernel has built in names a driver (lib/modules/VERSION/modules.builtin); null when there is no such list.</summary>
    public bool? BuiltIn(string name) =>
        files.Where(f => f.Key.EndsWith("/modules.builtin", StringComparison.Ordinal)).Select(f => f.Value.Content).FirstOrDefault()
            is { } list
            ? Encoding.UTF8.GetString(list).Split('\n').Any(l => KernelModule.NameOf(l) == name.Replace('-', '_'))
            : null;

    /// <summary>The versions of kernels that its modules are for, by their folders (lib/modules/VERSION).</summary>
    public IReadOnlyList<string> ModuleVersions =>
        [
            .. files
                .Keys.Where(IsModule)
                .Select(f => f.Split('/'))
                .Select(p => Array.IndexOf(p, "modules") is > 0 and var at && p[at - 1] == "lib" && at + 2 < p.Length ? p[at + 1] : null)
                .OfType<string>()
                .Distinct(),
        ];

    /// <summary>What a module in it says of itself, or null when it is not in it.</summary>
    /// <param name="unpack">Unpacks a compressed stream by its magic, or gives null for a kind it does not know.</param>
    internal KernelModule? Module(string name, Func<Stream, Stream?> unpack) =>
        ModuleFile(name) is { } file ? KernelModule.Read(files[file].Content, unpack) : null;

    /// <summary>What a module needs and is not in it, through all that it depends on (its own "depends", as modinfo(8) tells); null when nothing is missing.</summary>
    /// <param name="unpack">Unpacks a compressed stream by its magic, or gives null for a kind it does not know.</param>
    public string? Lacks(string name, Func<Stream, Stream?> unpack)
    {
        var seen = new HashSet<string>();
        var open = new Stack<string>([name]);
        while (open.TryPop(out var next))
        {
            if (!seen.Add(next.Replace('-', '_')))
                continue;
            if (ModuleFile(next) is not { } file)
            {
                if (next != name)
                    return next;
                continue;
            }
            foreach (var needed in KernelModule.Read(files[file].Content, unpack).Depends)
                open.Push(needed);
        }
        return null;
    }

    /// <summary>Whether any kernel module is in it.</summary>
    public bool HasModules => files.Keys.Any(IsModule);

    /// <summary>Whether its first program is a script, which reads the command line word by word and leaves quotation marks where they stand.</summary>
    public bool StartsWithScript => Find("/init") is [(byte)'#', (byte)'!', ..];

    /// <summary>Whether it is one of the kinds that wait for the root by themselves (initramfs-tools, dracut).</summary>
    public bool WaitsByItself =>
        files.ContainsKey("scripts/functions")
        || files.Keys.Any(f =>
            f.StartsWith("usr/lib/dracut", StringComparison.Ordinal) || f.StartsWith("lib/dracut", StringComparison.Ordinal)
        );
}

/// <summary>Programs and what they need to start: their own instruction set, or that of the interpreter a script names.</summary>
internal static class Programs
{
    /// <summary>The instruction set of a program; null set with a reason when it cannot start at all.</summary>
    public static (InstructionSet? Architecture, string? Fault) Look(string path, Func<string, byte[]?> read, int depth = 0)
    {
        if (read(path) is not { } head)
            return (null, $"{path} is not there");
        if (head.Length == 0)
            return (null, $"{path} is empty");
        if (Elf.Is(head))
            return Elf.Read(head) is not { } set ? (null, $"{path} is for a processor that is not known here")
                : Elf.Interpreter(head) is { } loader && read(loader) is null ? (null, $"it needs {loader}, which is not there")
                : (set, null);
        if (head.Length > 2 && head[0] == '#' && head[1] == '!' && depth < 4)
        {
            var line = Encoding.UTF8.GetString(head.AsSpan(2, Math.Min(200, head.Length - 2))).Split('\n')[0].Trim();
            return Look(line.Split(' ')[0], read, depth + 1);
        }
        return (null, $"{path} is no program");
    }
}
