using System.Text;
using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Asking;

/// <summary>
/// Commands that are known to read and to change nothing. What is not on the list is refused, whatever file it comes from; what a board printed goes into
/// a command only as a name of a known shape, so that no text of a board adds a word, a separator or a quote.
/// </summary>
public static partial class SafeCommand
{
    private const int Longest = 400;

    /// <summary>The shape of each place that a command may have.</summary>
    private static readonly Dictionary<string, Regex> Shapes = new()
    {
        ["medium"] = Medium(),
        ["number"] = Number(),
        ["partition"] = Number(),
        ["folder"] = PathShape(),
        ["init"] = PathShape(),
        ["newroot"] = NewRoot(),
        ["rootdevice"] = Device(),
        ["rootfound"] = Device(),
        ["deviceid"] = MountName(),
        ["devicefile"] = Device(),
        ["rootdisk"] = Disk(),
        ["place"] = Place(),
        ["unit"] = Unit(),
    };

    /// <summary>Words of the commands of a POSIX shell that read, and the form of their arguments.</summary>
    private static readonly Dictionary<string, Regex> Posix = new()
    {
        ["cat"] = Readable(),
        ["ls"] = ListArguments(),
        ["blkid"] = OptionalDevice(),
        ["dmesg"] = Nothing(),
        ["grep"] = GrepArguments(),
        ["tail"] = CountArguments(),
        ["head"] = CountArguments(),
        ["df"] = DfArguments(),
        ["ip"] = IpArguments(),
        ["iw"] = IwArguments(),
        ["date"] = DateArguments(),
        ["hostname"] = Nothing(),
        ["uname"] = UnameArguments(),
        ["id"] = Nothing(),
        ["lsmod"] = Nothing(),
        ["mount"] = Nothing(),
        ["free"] = UnameArguments(),
        ["uptime"] = Nothing(),
        ["timedatectl"] = Nothing(),
        ["systemctl"] = SystemctlArguments(),
        ["journalctl"] = JournalctlArguments(),
        ["e2fsck"] = CheckArguments(),
    };

    /// <summary>Words of loaders' shells (U-Boot), likewise.</summary>
    private static readonly Dictionary<string, Regex> Loader = new()
    {
        ["printenv"] = OneName(),
        ["part"] = PartArguments(),
        ["ls"] = LoaderList(),
        ["mmc"] = MmcArguments(),
        ["bdinfo"] = Nothing(),
        ["version"] = Nothing(),
    };

    /// <summary>Words of the command line behind a loader's menu (GRUB), likewise.</summary>
    private static readonly Dictionary<string, Regex> CommandLine = new()
    {
        ["ls"] = PlaceArguments(),
        ["set"] = Nothing(),
        ["lsmod"] = Nothing(),
    };

    /// <summary>Words of a firmware's shell, likewise.</summary>
    private static readonly Dictionary<string, Regex> Firmware = new() { ["map"] = Nothing(), ["ver"] = Nothing() };

    /// <summary>The command with its places filled; null when a fact is missing or has not the shape of its place, or when the command is not known to read.</summary>
    /// <param name="template">The command of the questions' file.</param>
    /// <param name="facts">What is known, by name.</param>
    /// <param name="at">Who is to take it.</param>
    public static string? Fill(string template, IReadOnlyDictionary<string, string> facts, ListenerKind at) =>
        Filled(template, facts) is { } text && Reads(text, at) ? text : null;

    /// <summary>A line with its places filled, whatever it does; null when a fact is missing or has not the shape of its place.</summary>
    public static string? Filled(string template, IReadOnlyDictionary<string, string> facts)
    {
        var command = new StringBuilder();
        var from = 0;
        foreach (Match place in PlaceName().Matches(template))
        {
            if (
                !Shapes.TryGetValue(place.Groups[1].Value, out var shape)
                || !facts.TryGetValue(place.Groups[1].Value, out var value)
                || !shape.IsMatch(value)
                || value.Contains("..", StringComparison.Ordinal)
            )
                return null;
            command.Append(template, from, place.Index - from).Append(value);
            from = place.Index + place.Length;
        }
        return command.Append(template, from, template.Length - from).ToString();
    }

    /// <summary>Whether a place has a known shape.</summary>
    public static bool HasShape(string place) => Shapes.ContainsKey(place);

    /// <summary>The names of the places of a command.</summary>
    public static IEnumerable<string> PlacesOf(string template) => PlaceName().Matches(template).Select(m => m.Groups[1].Value);

    /// <summary>Whether a command is known to read only: each of its parts begins with a known word and has arguments of the known form.</summary>
    public static bool Reads(string command, ListenerKind at)
    {
        var known = at switch
        {
            ListenerKind.LoaderShell => Loader,
            ListenerKind.LoaderCommandLine or ListenerKind.LoaderRescue => CommandLine,
            ListenerKind.FirmwareShell => Firmware,
            ListenerKind.InitialShell or ListenerKind.RescueShell or ListenerKind.UserShell => Posix,
            _ => null,
        };
        if (known is null || command.Length > Longest || command.Any(c => c is < ' ' or > '~'))
            return false;
        var parts = known == Posix ? Parts(command) : [command];
        return parts is { Count: > 0 }
            && parts.All(p =>
                p.Trim() is { Length: > 0 } part
                && part.IndexOf(' ') is var end
                && known.TryGetValue(end < 0 ? part : part[..end], out var form)
                && form.IsMatch(end < 0 ? "" : part[(end + 1)..].Trim())
            );
    }

    /// <summary>The simple commands between ; and |; null where a sign stands that could do more. Inside double quotes only plain signs are taken.</summary>
    private static List<string>? Parts(string command)
    {
        var parts = new List<string>();
        var one = new StringBuilder();
        var quoted = false;
        foreach (var c in command)
        {
            if (c == '"')
                quoted = !quoted;
            if (c is '$' or '`' or '\\' or '\'' or '<' or '>' or '&' or '!' or '{' or '}' or '#' or '~')
                return null;
            if (!quoted && c is '(' or ')' or '*' or '?' or '[' or ']')
                return null;
            if (!quoted && c is ';' or '|')
            {
                parts.Add(one.ToString());
                one.Clear();
            }
            else
                one.Append(c);
        }
        parts.Add(one.ToString());
        return quoted ? null : parts;
    }

    [GeneratedRegex(@"\{([a-z]+)\}")]
    private static partial Regex PlaceName();

    [GeneratedRegex(@"\A(?:mmc|usb|virtio|nvme|scsi|sata|ide|ahci)\z")]
    private static partial Regex Medium();

    [GeneratedRegex(@"\A[0-9]{1,2}\z")]
    private static partial Regex Number();

    [GeneratedRegex(@"\A/[A-Za-z0-9._/+-]{0,100}\z")]
    private static partial Regex PathShape();

    [GeneratedRegex(@"\A/(?:root|sysroot|newroot|mnt)\z")]
    private static partial Regex NewRoot();

    [GeneratedRegex(@"\A/dev/[A-Za-z0-9][A-Za-z0-9._/-]{1,80}\z")]
    private static partial Regex Device();

    // What names a device in a line of a mount table, however the line writes it.
    [GeneratedRegex(@"\A[A-Za-z0-9][A-Za-z0-9._/-]{2,80}\z")]
    private static partial Regex MountName();

    [GeneratedRegex(@"\A[a-z][a-z0-9]{1,15}\z")]
    private static partial Regex Disk();

    [GeneratedRegex(@"\A\([a-z]+[0-9]+(?:,[a-z]*[0-9]+)?\)\z")]
    private static partial Regex Place();

    [GeneratedRegex(@"\A[A-Za-z0-9][A-Za-z0-9@._:-]{0,80}\.(?:service|mount|socket|target|device|swap|timer)\z")]
    private static partial Regex Unit();

    [GeneratedRegex(@"\A\z")]
    private static partial Regex Nothing();

    // Files of the kernel, and files of the system that hold no secret.
    [GeneratedRegex(
        @"\A(?:(?:^| )(?:/proc/(?:partitions|cmdline|filesystems|mounts|modules|meminfo|net/dev|device-tree/model)|/sys/(?:block|class|bus|devices)/[A-Za-z0-9._/:-]+|/etc/(?:fstab|hostname|hosts|os-release|resolv\.conf))){1,2}\z"
    )]
    private static partial Regex Readable();

    [GeneratedRegex(@"\A(?:-[alL1h]{1,4} )?/[A-Za-z0-9._/+-]*\z")]
    private static partial Regex ListArguments();

    [GeneratedRegex(@"\A(?:/dev/[A-Za-z0-9._/-]+)?\z")]
    private static partial Regex OptionalDevice();

    [GeneratedRegex(
        @"\A(?:-(?:i|E|iE|F|c) )?(?:-e )?(?:""[A-Za-z0-9 ._|+*()\[\]:/-]+""|[A-Za-z0-9._:-]+)(?: /(?:proc|etc)/(?:meminfo|mounts|hosts|fstab|hostname))?\z"
    )]
    private static partial Regex GrepArguments();

    [GeneratedRegex(@"\A-n [0-9]{1,3}\z")]
    private static partial Regex CountArguments();

    [GeneratedRegex(@"\A-[hPi]{1,3} /\z")]
    private static partial Regex DfArguments();

    [GeneratedRegex(@"\A(?:-br (?:address|link)|-o address|route)\z")]
    private static partial Regex IpArguments();

    [GeneratedRegex(@"\Areg get\z")]
    private static partial Regex IwArguments();

    [GeneratedRegex(@"\A(?:-u )?\+[%YmdTHM:-]+\z")]
    private static partial Regex DateArguments();

    [GeneratedRegex(@"\A(?:-[amr])?\z")]
    private static partial Regex UnameArguments();

    [GeneratedRegex(@"\A--failed --no-legend --plain --no-pager\z")]
    private static partial Regex SystemctlArguments();

    [GeneratedRegex(@"\A-b -u [A-Za-z0-9][A-Za-z0-9@._:-]* -n [0-9]{1,2} --no-pager -o cat\z")]
    private static partial Regex JournalctlArguments();

    [GeneratedRegex(@"\A-n /dev/[A-Za-z0-9._/-]+\z")]
    private static partial Regex CheckArguments();

    [GeneratedRegex(@"\A[a-z_]{0,24}\z")]
    private static partial Regex OneName();

    [GeneratedRegex(@"\Alist (?:mmc|usb|virtio|nvme|scsi|sata|ide|ahci) [0-9]{1,2}\z")]
    private static partial Regex PartArguments();

    [GeneratedRegex(@"\A(?:mmc|usb|virtio|nvme|scsi|sata|ide|ahci) [0-9]{1,2}:[0-9]{1,2} /[A-Za-z0-9._/+-]*\z")]
    private static partial Regex LoaderList();

    [GeneratedRegex(@"\A(?:list|info|part)\z")]
    private static partial Regex MmcArguments();

    [GeneratedRegex(@"\A(?:\([a-z]+[0-9]+(?:,[a-z]*[0-9]+)?\)(?:/[A-Za-z0-9._/+-]*)?)?\z")]
    private static partial Regex PlaceArguments();
}
