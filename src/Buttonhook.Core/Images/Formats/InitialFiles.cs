using System.Globalization;
using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>An initial file system: cpio archives in the "newc" form (Documentation/driver-api/early-userspace/buffer-format), one after another, each plain or compressed.</summary>
public sealed class InitialFiles
{
    private const int MostFiles = 200_000;
    private readonly Dictionary<string, (uint Mode, ReadOnlyMemory<byte> Content)> files = [];

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
                var archive = new Flow(this);
                var (end, fault) = Packed.Unpack(bytes, at, unpack, archive.Take);
                Fault = fault ?? archive.Fault;
                at = end ?? bytes.Length;
            }
        }
    }

    /// <summary>An archive as it comes out of a packing: read entry by entry, so that the whole of it never stands in memory.</summary>
    private sealed class Flow(InitialFiles into)
    {
        private readonly Dictionary<(uint, uint, uint), List<string>> links = [];
        private byte[] held = new byte[4096];
        private int count;

        /// <summary>How many bytes the next step needs.</summary>
        private long needed = HeaderBytes;
        private long skip;

        /// <summary>Why it cannot be read on, or null.</summary>
        public string? Fault => fault ?? (count > 0 ? "an archive in it breaks off" : null);

        private string? fault;

        public void Take(ReadOnlySpan<byte> piece)
        {
            while (piece.Length > 0 && fault is null)
            {
                if (skip > 0)
                {
                    var over = (int)Math.Min(skip, piece.Length);
                    piece = piece[over..];
                    skip -= over;
                    continue;
                }
                if (count == 0 && piece[0] == 0)
                {
                    var zeros = piece.IndexOfAnyExcept((byte)0) is >= 0 and var first ? first : piece.Length;
                    piece = piece[zeros..];
                    continue;
                }
                if (count == 0 && piece[0] != '0')
                {
                    fault = "what is packed in it is no archive (packed twice?), and the kernel unpacks once";
                    return;
                }
                var taken = (int)Math.Min(needed - count, piece.Length);
                if (held.Length < count + taken)
                    Array.Resize(ref held, (int)Math.Min(Math.Max(held.Length * 2L, count + taken), needed));
                piece[..taken].CopyTo(held.AsSpan(count));
                piece = piece[taken..];
                count += taken;
                if (count == needed)
                    Step();
            }
        }

        /// <summary>With a whole header its entry is waited for; with a whole entry it is taken.</summary>
        private void Step()
        {
            try
            {
                var entry = Header(held.AsSpan(0, HeaderBytes));
                var whole = entry.DataAt + entry.Size;
                if (count < whole)
                {
                    needed = whole;
                    return;
                }
                into.Entry(entry, held.AsMemory(0, (int)whole), links, copied: true);
                skip = -whole & 3;
                (count, needed) = (0, HeaderBytes);
                if (held.Length > 1 << 20)
                    held = new byte[4096];
            }
            catch (UnreadableException e)
            {
                fault = e.Message;
            }
        }
    }

    private const int HeaderBytes = 110;

    /// <summary>The head of an entry: which file it is, its type, its size, and the length of its name.</summary>
    private readonly record struct Head((uint, uint, uint) Inode, uint Mode, uint Links, long Size, int NameBytes)
    {
        public int DataAt => (HeaderBytes + NameBytes + 3) & ~3;
    }

    private static Head Header(ReadOnlySpan<byte> bytes)
    {
        if (!bytes.StartsWith("07070"u8))
            throw new UnreadableException("an archive in it breaks off");
        Span<uint> fields = stackalloc uint[12];
        for (var k = 0; k < fields.Length; k++)
            fields[k] = uint.TryParse(bytes.Slice(6 + k * 8, 8), NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var n)
                ? n
                : throw new UnreadableException("a header in it is damaged");
        if (fields[11] is 0 or > 4096 || fields[6] > FileTree.LargestFile)
            throw new UnreadableException("an archive in it breaks off");
        return new((fields[0], fields[7], fields[8]), fields[1], fields[4], fields[6], (int)fields[11]);
    }

    /// <summary>Takes one entry; whether it was the last of its archive.</summary>
    /// <param name="bytes">The whole entry, from its head to the end of its content.</param>
    /// <param name="copied">Whether the bytes are reused afterwards, so that what is kept must be copied.</param>
    private bool Entry(Head head, ReadOnlyMemory<byte> bytes, Dictionary<(uint, uint, uint), List<string>> links, bool copied)
    {
        var name = Encoding.UTF8.GetString(bytes.Span.Slice(HeaderBytes, head.NameBytes - 1));
        if (name == "TRAILER!!!")
        {
            Complete = true;
            return true;
        }
        if (files.Count > MostFiles)
            throw new UnreadableException("more files are in it than can be");
        UnpackedBytes += head.Size;
        var content = bytes.Slice(head.DataAt, (int)head.Size);
        var path = name.TrimStart('.').Trim('/');
        // Of a module only what it says of itself is wanted.
        if (IsModule(path) && Elf.Is(content.Span))
        {
            modules[path] = KernelModule.Of(content.Span);
            content = content[..64];
        }
        files[path] = (head.Mode, copied ? content.ToArray() : content);
        // Names of one file stand without its content, but for one of them (init/initramfs.c, maybe_link).
        if (head.Links > 1 && (head.Mode & 0xF000) == 0x8000)
            Linked(links, head.Inode, path, head.Mode, files[path].Content);
        return false;
    }

    private void Linked(
        Dictionary<(uint, uint, uint), List<string>> links,
        (uint, uint, uint) file,
        string path,
        uint mode,
        ReadOnlyMemory<byte> content
    )
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
            if (at + HeaderBytes > bytes.Length)
                throw new UnreadableException("an archive in it breaks off");
            var head = Header(bytes.AsSpan(at, HeaderBytes));
            var whole = head.DataAt + head.Size;
            if (at + whole > bytes.Length)
                throw new UnreadableException("an archive in it breaks off");
            var last = Entry(head, bytes.AsMemory(at, (int)whole), links, copied: false);
            at = (int)Math.Min(at + (whole + 3 & ~3L), bytes.Length);
            if (last)
                return at;
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
                var target = Encoding.UTF8.GetString(file.Content.Span);
                return hops > 20
                    ? null
                    : Find($"{(target.StartsWith('/') ? "" : walked)}/{target}/{string.Join('/', parts[(k + 1)..])}", hops + 1);
            }
            if (k == parts.Length - 1)
                return file.Content.ToArray();
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
        files.Keys.FirstOrDefault(f => f.EndsWith("/modules.builtin", StringComparison.Ordinal)) is { } list
            ? Encoding.UTF8.GetString(files[list].Content.Span).Split('\n').Any(l => KernelModule.NameOf(l) == name.Replace('-', '_'))
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
    internal KernelModule? Module(string name, Func<Stream, Stream?> unpack) => ModuleFile(name) is { } file ? Told(file, unpack) : null;

    private readonly Dictionary<string, KernelModule> modules = [];

    private KernelModule Told(string file, Func<Stream, Stream?> unpack) =>
        modules.TryGetValue(file, out var told) ? told : modules[file] = KernelModule.Read(files[file].Content.ToArray(), unpack);

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
            foreach (var needed in Told(file, unpack).Depends)
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
