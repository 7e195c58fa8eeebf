using System.Globalization;
using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Text.Json.Serialization;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Preparing;

/// <summary>A wireless network as it is stored: the derived key instead of the password.</summary>
/// <param name="Key">64 hexadecimal digits (see <see cref="Passwords.WirelessKey"/>).</param>
/// <param name="Country">Two letters (ISO 3166-1); without it the radio stays off.</param>
public sealed record WirelessNetwork(string Name, string Key, string Country);

/// <summary>An address that does not change.</summary>
/// <param name="Interface">Such as eth0; empty for whatever is wired, since the system alone knows what it calls that.</param>
/// <param name="Address">With its length, such as 192.0.2.10/24; one of each kind may stand there, with a blank between.</param>
/// <param name="Gateway">Null for a link between two devices; one of each kind may stand there, with a blank between.</param>
public sealed record FixedAddress(string Interface, string Address, string? Gateway, IReadOnlyList<string> NameServers)
{
    /// <summary>What every kernel and udev name of a wired interface begins with (systemd.net-naming-scheme(7)), as a pattern.</summary>
    public const string AnyWired = "e*";

    /// <summary>The interface, or the pattern of what is wired.</summary>
    [JsonIgnore]
    public string Match => Interface.Length == 0 ? AnyWired : Interface;

    /// <summary>The addresses, one by one.</summary>
    [JsonIgnore]
    public IReadOnlyList<string> Addresses => Words(Address);

    /// <summary>The gateways, one by one.</summary>
    [JsonIgnore]
    public IReadOnlyList<string> Gateways => Words(Gateway ?? "");

    /// <summary>Whether an address is one of IPv6.</summary>
    public static bool IsV6(string address) => address.Contains(':');

    private static string[] Words(string text) => text.Split([' ', ','], StringSplitOptions.RemoveEmptyEntries);
}

/// <summary>What a person sets before the first boot; null and empty leave the image as it is. Passwords stand here only in the forms that systems keep.</summary>
/// <param name="PasswordHash">SHA-512 crypt.</param>
/// <param name="Keys">Public keys for remote login, one line each.</param>
/// <param name="UsbNetwork">The USB device port as a network link.</param>
/// <param name="VideoMode">As the kernel's video= takes it, such as HDMI-A-1:1280x720@60.</param>
/// <param name="ConsoleOn">Console and login on the board's serial port.</param>
/// <param name="Overlays">Device-tree overlays by name.</param>
/// <param name="Lines">More key=value lines for the loader's configuration.</param>
/// <param name="Commands">Commands that run once at the first boot, as root.</param>
public sealed record FirstBoot(
    string? HostName,
    string? User,
    string? PasswordHash,
    IReadOnlyList<string> Keys,
    bool RemoteLogin,
    WirelessNetwork? Wireless,
    string? Locale,
    string? TimeZone,
    string? Keyboard,
    FixedAddress? Address,
    bool UsbNetwork,
    string? VideoMode,
    bool ConsoleOn,
    IReadOnlyList<string> Overlays,
    IReadOnlyList<string> Lines,
    IReadOnlyList<string> Packages,
    IReadOnlyList<string> Commands
)
{
    /// <summary>Nothing but the console, which every board without a screen wants.</summary>
    public static FirstBoot Usual { get; } =
        new(null, null, null, [], false, null, null, null, null, null, false, null, true, [], [], [], []);

    /// <summary>Whether anything is asked of the system itself and not only of its loader.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public bool AsksTheSystem =>
        HostName is not null
        || User is not null
        || Keys.Count > 0
        || RemoteLogin
        || Wireless is not null
        || Locale is not null
        || TimeZone is not null
        || Keyboard is not null
        || Address is not null
        || UsbNetwork
        || Packages.Count > 0
        || Commands.Count > 0;
}

/// <summary>One field that cannot be as it is, and why.</summary>
public sealed record FieldProblem(string Field, string Text);

/// <summary>Checks what a person sets before the first boot.</summary>
public static partial class FirstBootCheck
{
    [GeneratedRegex(@"\A[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?\z", RegexOptions.CultureInvariant)]
    private static partial Regex HostLabel();

    [GeneratedRegex(@"\A[a-z_][a-z0-9_-]{0,30}\z", RegexOptions.CultureInvariant)]
    private static partial Regex UserName();

    [GeneratedRegex(
        @"\A(ssh-ed25519|ssh-rsa|ecdsa-sha2-nistp(256|384|521)|sk-(ssh-ed25519|ecdsa-sha2-nistp256)@openssh.com) [A-Za-z0-9+/]+={0,2}( .*)?\z"
    )]
    private static partial Regex PublicKey();

    [GeneratedRegex(@"\A(C|POSIX|[a-z]{2,3}(_[A-Z]{2})?)(\.[A-Za-z0-9-]+)?(@[a-z]+)?\z")]
    private static partial Regex LocaleName();

    [GeneratedRegex(@"\A[a-z]{2,3}\z")]
    private static partial Regex Layout();

    [GeneratedRegex(@"\A[a-z0-9][a-z0-9+.-]+\z")]
    private static partial Regex Package();

    [GeneratedRegex(@"\A[a-z][a-z0-9]{1,14}\z")]
    private static partial Regex InterfaceName();

    [GeneratedRegex(@"\A([A-Za-z0-9-]+:)?\d{3,5}x\d{3,5}(M?R?)?(-\d+)?(@\d{2,3})?[DeIm]?\z|\A([A-Za-z0-9-]+:)[De]\z")]
    private static partial Regex Mode();

    /// <summary>
    /// Whether a text is one line of printable characters, which is all that any field may hold: control characters of both sets, the line
    /// and paragraph separators and halves of characters change or break the files that the values go into.
    /// </summary>
    public static bool IsPlain(string text) =>
        text.EnumerateRunes()
            .All(r =>
                r != System.Text.Rune.ReplacementChar
                && System.Text.Rune.GetUnicodeCategory(r)
                    is not (
                        UnicodeCategory.Control
                        or UnicodeCategory.LineSeparator
                        or UnicodeCategory.ParagraphSeparator
                        or UnicodeCategory.Surrogate
                        or UnicodeCategory.OtherNotAssigned
                    )
            );

    /// <summary>A nickname as a host name may be (RFC 1123): small letters, digits and dashes; "board" where nothing of it is left.</summary>
    public static string HostNameOf(string nickname)
    {
        var name = string.Concat(nickname.ToLowerInvariant().Select(c => char.IsAsciiLetterOrDigit(c) ? c : '-')).Trim('-');
        return (name.Length > 63 ? name[..63].TrimEnd('-') : name) is { Length: > 0 } host ? host : "board";
    }

    private static IEnumerable<(string Field, string Text)> Values(FirstBoot set)
    {
        IEnumerable<(string, string?)> all =
        [
            ("hostName", set.HostName),
            ("user", set.User),
            ("password", set.PasswordHash),
            .. set.Keys.Select(k => ("keys", (string?)k)),
            ("wireless", set.Wireless?.Name),
            ("wireless", set.Wireless?.Key),
            ("wireless", set.Wireless?.Country),
            ("locale", set.Locale),
            ("timeZone", set.TimeZone),
            ("keyboard", set.Keyboard),
            ("videoMode", set.VideoMode),
            ("address", set.Address?.Interface),
            ("address", set.Address?.Address),
            ("address", set.Address?.Gateway),
            .. (set.Address?.NameServers ?? []).Select(n => ("address", (string?)n)),
            .. set.Overlays.Select(o => ("overlays", (string?)o)),
            .. set.Lines.Select(l => ("lines", (string?)l)),
            .. set.Packages.Select(p => ("packages", (string?)p)),
            .. set.Commands.Select(c => ("commands", (string?)c)),
        ];
        return all.Where(v => v.Item2 is not null).Select(v => (v.Item1, v.Item2!));
    }

    /// <summary>All problems, by field; an empty list is a good set.</summary>
    /// <param name="taken">Host names that other boards of this bench have.</param>
    /// <param name="addresses">Fixed addresses of other boards, without their lengths.</param>
    /// <param name="names">The real names of time zones and countries.</param>
    public static IReadOnlyList<FieldProblem> Of(
        FirstBoot set,
        IReadOnlyCollection<string> taken,
        RealNames names,
        IReadOnlyCollection<string>? addresses = null
    )
    {
        // What is not plain is not looked at further: every other rule may take one plain line for granted.
        var unplain = Values(set).Where(v => !IsPlain(v.Text)).Select(v => v.Field).Distinct().ToList();
        if (unplain.Count > 0)
            return
            [
                .. unplain.Select(f => new FieldProblem(
                    f,
                    "It holds a character that is no text (a line end, a tab or a control character). Type it again instead of pasting it."
                )),
            ];
        var list = new Findings();
        Person(set, taken, list);
        if (set.Wireless is { } radio)
            Radio(radio, names, list);
        Place(set, names, list);
        if (set.Address is { } address)
        {
            Address(address, list);
            foreach (var two in address.Addresses.Select(a => a.Split('/')[0]).Where(a => addresses?.Contains(a) == true))
                list.Add(new("address", $"Another board on your bench has the address {two}; two of one address disturb each other."));
        }
        foreach (var line in set.Lines.Where(l => l.IndexOf('=') < 1))
            list.Add(new("lines", $"“{Short(line)}” is no key=value line."));
        foreach (var name in set.Packages.Where(n => !Package().IsMatch(n)))
            list.Add(new("packages", $"“{Short(name)}” is no name of a package."));
        foreach (var name in set.Overlays.Where(n => n.Length == 0 || n.Any(c => char.IsWhiteSpace(c) || c == '\'')))
            list.Add(new("overlays", $"“{Short(name)}” is no name of an overlay."));
        return list;
    }

    private sealed class Findings : List<FieldProblem>
    {
        public void When(bool wrong, string field, string text)
        {
            if (wrong)
                Add(new(field, text));
        }
    }

    private static void Person(FirstBoot set, IReadOnlyCollection<string> taken, Findings list)
    {
        if (set.HostName is { } host)
        {
            list.When(
                !host.Split('.').All(l => HostLabel().IsMatch(l)) || host.Length > 64,
                "hostName",
                $"A host name has small letters, digits and dashes, up to 63 in a row, and no dash at an end (RFC 1123); “{host}” is none."
            );
            list.When(
                taken.Contains(host, StringComparer.OrdinalIgnoreCase),
                "hostName",
                $"Another board on your bench is called {host}; two of one name cannot be told apart on the network."
            );
        }
        list.When(
            set.User is { } user && !UserName().IsMatch(user),
            "user",
            $"A user name begins with a small letter and has up to 31 letters, digits, dashes; “{set.User}” is none."
        );
        list.When(set.User == "root", "user", "Take another user than root: remote login of root is refused by most systems.");
        list.When(set.PasswordHash is not null && set.User is null, "password", "A password needs the user it is for.");
        list.When(
            set.PasswordHash is { } hash && !hash.StartsWith("$6$", StringComparison.Ordinal),
            "password",
            "A password is kept as SHA-512 crypt only."
        );
        list.When(set.Keys.Count > 0 && set.User is null, "keys", "Keys need the user they are for.");
        foreach (var key in set.Keys.Where(k => !PublicKey().IsMatch(k)))
            list.Add(
                new(
                    "keys",
                    key.Contains("PRIVATE KEY", StringComparison.Ordinal)
                        ? "This is a private key. Keep it to yourself; here belongs the line of the file that ends in .pub."
                        : $"“{Short(key)}” is no public key: it begins with its kind, such as ssh-ed25519."
                )
            );
        list.When(
            set.RemoteLogin && set.User is not null && set.PasswordHash is null && set.Keys.Count == 0,
            "remoteLogin",
            "Remote login needs a password or a key, or nobody gets in."
        );
    }

    private static void Radio(WirelessNetwork radio, RealNames names, Findings list)
    {
        list.When(
            !names.Countries.Contains(radio.Country),
            "wireless",
            $"“{radio.Country}” is no country of ISO 3166, which has two capital letters{(radio.Country == "UK" ? " (the United Kingdom is GB)" : "")}; without it the radio stays off."
        );
        list.When(
            Encoding.UTF8.GetByteCount(radio.Name) is 0 or > 32,
            "wireless",
            "The name of a wireless network has 1 to 32 bytes (IEEE 802.11)."
        );
        list.When(
            radio.Key.Length != 64 || !radio.Key.All(char.IsAsciiHexDigit),
            "wireless",
            "The wireless key has 64 hexadecimal digits."
        );
    }

    private static void Place(FirstBoot set, RealNames names, Findings list)
    {
        list.When(set.Locale is { } locale && !LocaleName().IsMatch(locale), "locale", $"“{set.Locale}” is no locale such as en_GB.UTF-8.");
        list.When(
            set.TimeZone is { } zone && !names.TimeZones.Contains(zone),
            "timeZone",
            $"“{set.TimeZone}” is no time zone of the IANA list{(RealNames.Near(names.TimeZones, set.TimeZone ?? "") is { } near ? $"; the nearest is {near}" : ", such as Europe/Lisbon")}."
        );
        list.When(
            set.Keyboard is { } layout && !Layout().IsMatch(layout),
            "keyboard",
            $"“{set.Keyboard}” is no keyboard layout such as gb."
        );
        list.When(
            set.VideoMode is { } mode && !Mode().IsMatch(mode),
            "videoMode",
            $"“{set.VideoMode}” is no mode such as HDMI-A-1:1280x720@60."
        );
    }

    private static void Address(FixedAddress address, Findings list)
    {
        list.When(
            address.Interface.Length > 0 && !InterfaceName().IsMatch(address.Interface),
            "address",
            $"“{address.Interface}” is no interface such as eth0. Leave it empty for whatever is wired."
        );
        foreach (var (kind, six) in new[] { ("IPv4", false), ("IPv6", true) })
        {
            var (own, ways) = (
                address.Addresses.Where(a => FixedAddress.IsV6(a) == six).ToList(),
                address.Gateways.Where(g => FixedAddress.IsV6(g) == six).ToList()
            );
            list.When(own.Count > 1 || ways.Count > 1, "address", $"One {kind} address and one gateway for it; here are more.");
            list.When(
                own.Count == 0 && ways.Count > 0,
                "address",
                $"The gateway {ways.FirstOrDefault()} has no {kind} address to go with."
            );
            if (own.Count == 1)
                One(own[0], ways.FirstOrDefault(), list);
        }
        list.When(address.Addresses.Count == 0, "address", "An address has its length, such as 192.0.2.10/24.");
        foreach (var server in address.NameServers.Where(n => Plain(n) is null))
            list.Add(new("address", $"“{Short(server)}” is no address of a name server, such as 192.0.2.1."));
    }

    private static void One(string text, string? gateway, Findings list)
    {
        var given = Host(text);
        list.When(given.Problem is not null, "address", given.Problem ?? "");
        list.When(
            given.Network is { } net && gateway is { } gate && (Plain(gate) is not { } way || !net.Contains(way) && !way.IsIPv6LinkLocal),
            "address",
            $"The gateway {gateway} is not in the network of {text}."
        );
        list.When(
            given.Ip is { } own && gateway is { } same && Plain(same)?.Equals(own) == true,
            "address",
            $"The gateway {gateway} is the board's own address."
        );
    }

    /// <summary>An address as it is usually written, without a scope; null for anything else (a bare number is an address to the parser, and what follows a percent sign passes it unread).</summary>
    private static IPAddress? Plain(string text) =>
        !text.Contains('%')
        && !text.Contains('[')
        && IPAddress.TryParse(text, out var ip)
        && (ip.AddressFamily == AddressFamily.InterNetworkV6 || ip.ToString() == text)
            ? ip
            : null;

    /// <summary>An address with its length that a host can have (RFC 1122 3.2.1.3, RFC 4291 2.4 to 2.7), its network, or what is wrong with it.</summary>
    private static (IPAddress? Ip, IPNetwork? Network, string? Problem) Host(string address)
    {
        if (
            address.Split('/') is not [var text, var length]
            || Plain(text) is not { } ip
            || !int.TryParse(length, NumberStyles.None, CultureInfo.InvariantCulture, out var bits)
            || bits is 0
            || bits > ip.GetAddressBytes().Length * 8
        )
            return (null, null, $"“{Short(address)}” is no address with its length, such as 192.0.2.10/24.");
        var bytes = ip.GetAddressBytes();
        var (first, last) = (bytes.ToArray(), bytes.ToArray());
        for (var i = bits; i < bytes.Length * 8; i++)
        {
            first[i / 8] &= (byte)~(0x80 >> (i % 8));
            last[i / 8] |= (byte)(0x80 >> (i % 8));
        }
        var network = new IPNetwork(new(first), bits);
        var four = ip.AddressFamily == AddressFamily.InterNetwork;
        var multicast = four ? bytes[0] is >= 224 and < 240 : ip.IsIPv6Multicast;
        var why =
            IPAddress.IsLoopback(ip) ? "is the computer itself"
            : ip.Equals(IPAddress.Any) || ip.Equals(IPAddress.IPv6Any) || (four && bytes[0] == 0) ? "stands for no address"
            : multicast || (four && bytes[0] >= 240) ? "is for many hosts at once or kept back"
            : four && bits < 31 && bytes.AsSpan().SequenceEqual(first) ? "is the network itself; a host has another one in it"
            : four && bits < 31 && bytes.AsSpan().SequenceEqual(last)
                ? "is the broadcast address of its network; a host has another one in it"
            : null;
        return (ip, network, why is null ? null : $"{address} {why}.");
    }

    private static string Short(string text) => text.Length > 40 ? text[..40] + "…" : text;
}
