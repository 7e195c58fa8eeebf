using System.Net;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Preparing;

/// <summary>A wireless network as it is stored: the derived key instead of the password.</summary>
/// <param name="Key">64 hexadecimal digits (see <see cref="Passwords.WirelessKey"/>).</param>
/// <param name="Country">Two letters (ISO 3166-1); without it the radio stays off.</param>
public sealed record WirelessNetwork(string Name, string Key, string Country);

/// <summary>An address that does not change.</summary>
/// <param name="Interface">Such as eth0.</param>
/// <param name="Address">With its length, such as 192.0.2.10/24.</param>
/// <param name="Gateway">Null for a link between two devices.</param>
public sealed record FixedAddress(string Interface, string Address, string? Gateway, IReadOnlyList<string> NameServers);

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
    [GeneratedRegex("^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$", RegexOptions.CultureInvariant)]
    private static partial Regex HostLabel();

    [GeneratedRegex("^[a-z_][a-z0-9_-]{0,30}$", RegexOptions.CultureInvariant)]
    private static partial Regex UserName();

    [GeneratedRegex(
        "^(ssh-ed25519|ssh-rsa|ecdsa-sha2-nistp(256|384|521)|sk-(ssh-ed25519|ecdsa-sha2-nistp256)@openssh.com) [A-Za-z0-9+/]+={0,2}( .*)?$"
    )]
    private static partial Regex PublicKey();

    [GeneratedRegex(@"^(C|POSIX|[a-z]{2,3}(_[A-Z]{2})?)(\.[A-Za-z0-9-]+)?(@[a-z]+)?$")]
    private static partial Regex LocaleName();

    [GeneratedRegex("^[A-Za-z_]+(/[A-Za-z0-9_+-]+){0,2}$")]
    private static partial Regex Zone();

    [GeneratedRegex("^[a-z]{2,3}$")]
    private static partial Regex Layout();

    [GeneratedRegex("^[a-z0-9][a-z0-9+.-]+$")]
    private static partial Regex Package();

    [GeneratedRegex("^[a-z][a-z0-9]{1,14}$")]
    private static partial Regex InterfaceName();

    [GeneratedRegex(@"^([A-Za-z0-9-]+:)?\d{3,5}x\d{3,5}(M?R?)?(-\d+)?(@\d{2,3})?[DeIm]?$|^([A-Za-z0-9-]+:)[De]$")]
    private static partial Regex Mode();

    /// <summary>All problems, by field; an empty list is a good set.</summary>
    /// <param name="taken">Host names that other boards of this bench have.</param>
    public static IReadOnlyList<FieldProblem> Of(FirstBoot set, IReadOnlyCollection<string> taken)
    {
        var list = new List<FieldProblem>();
        void When(bool wrong, string field, string text)
        {
            if (wrong)
                list.Add(new(field, text));
        }
        if (set.HostName is { } host)
        {
            When(
                !host.Split('.').All(l => HostLabel().IsMatch(l)) || host.Length > 64,
                "hostName",
                $"A host name has small letters, digits and dashes, up to 63 in a row, and no dash at an end (RFC 1123); “{host}” is none."
            );
            When(
                taken.Contains(host, StringComparer.OrdinalIgnoreCase),
                "hostName",
                $"Another board on your bench is called {host}; two of one name cannot be told apart on the network."
            );
        }
        When(
            set.User is { } user && !UserName().IsMatch(user),
            "user",
            $"A user name begins with a small letter and has up to 31 letters, digits, dashes; “{set.User}” is none."
        );
        When(set.User == "root", "user", "Take another user than root: remote login of root is refused by most systems.");
        When(set.PasswordHash is not null && set.User is null, "password", "A password needs the user it is for.");
        When(
            set.PasswordHash is { } hash && !hash.StartsWith("$6$", StringComparison.Ordinal),
            "password",
            "A password is kept as SHA-512 crypt only."
        );
        When(set.Keys.Count > 0 && set.User is null, "keys", "Keys need the user they are for.");
        foreach (var key in set.Keys.Where(k => !PublicKey().IsMatch(k)))
            list.Add(
                new(
                    "keys",
                    key.Contains("PRIVATE KEY", StringComparison.Ordinal)
                        ? "This is a private key. Keep it to yourself; here belongs the line of the file that ends in .pub."
                        : $"“{Short(key)}” is no public key: it begins with its kind, such as ssh-ed25519."
                )
            );
        When(
            set.RemoteLogin && set.User is not null && set.PasswordHash is null && set.Keys.Count == 0,
            "remoteLogin",
            "Remote login needs a password or a key, or nobody gets in."
        );
        if (set.Wireless is { } radio)
        {
            When(
                radio.Country.Length != 2 || !radio.Country.All(char.IsAsciiLetterUpper),
                "wireless",
                "The country has two capital letters (ISO 3166); without it the radio stays off."
            );
            When(radio.Key.Length != 64 || !radio.Key.All(char.IsAsciiHexDigit), "wireless", "The wireless key has 64 hexadecimal digits.");
        }
        When(set.Locale is { } locale && !LocaleName().IsMatch(locale), "locale", $"“{set.Locale}” is no locale such as en_GB.UTF-8.");
        When(set.TimeZone is { } zone && !Zone().IsMatch(zone), "timeZone", $"“{set.TimeZone}” is no time zone such as Europe/Lisbon.");
        When(set.Keyboard is { } layout && !Layout().IsMatch(layout), "keyboard", $"“{set.Keyboard}” is no keyboard layout such as gb.");
        When(
            set.VideoMode is { } mode && !Mode().IsMatch(mode),
            "videoMode",
            $"“{set.VideoMode}” is no mode such as HDMI-A-1:1280x720@60."
        );
        if (set.Address is { } address)
        {
            When(!InterfaceName().IsMatch(address.Interface), "address", $"“{address.Interface}” is no interface such as eth0.");
            When(
                !IPNetwork.TryParse(Network(address.Address), out var net),
                "address",
                $"“{address.Address}” is no address with its length, such as 192.0.2.10/24."
            );
            When(
                net != default && address.Gateway is { } gate && (!IPAddress.TryParse(gate, out var way) || !net.Contains(way)),
                "address",
                $"The gateway {address.Gateway} is not in the network of {address.Address}."
            );
            foreach (var server in address.NameServers.Where(n => !IPAddress.TryParse(n, out _)))
                list.Add(new("address", $"“{server}” is no address of a name server."));
        }
        foreach (var line in set.Lines.Where(l => !l.Contains('=') || l.Contains('\n')))
            list.Add(new("lines", $"“{Short(line)}” is no key=value line."));
        foreach (var name in set.Packages.Where(n => !Package().IsMatch(n)))
            list.Add(new("packages", $"“{Short(name)}” is no name of a package."));
        foreach (var name in set.Overlays.Where(n => n.Length == 0 || n.Any(c => char.IsWhiteSpace(c) || c == '\'')))
            list.Add(new("overlays", $"“{Short(name)}” is no name of an overlay."));
        return list;
    }

    /// <summary>The network of an address: its host part is cleared, which <see cref="IPNetwork"/> asks for.</summary>
    private static string Network(string address)
    {
        if (
            address.Split('/') is not [var host, var length]
            || !IPAddress.TryParse(host, out var ip)
            || !int.TryParse(length, out var bits)
        )
            return "";
        var bytes = ip.GetAddressBytes();
        if (bits < 0 || bits > bytes.Length * 8)
            return "";
        for (var i = bits; i < bytes.Length * 8; i++)
            bytes[i / 8] &= (byte)~(0x80 >> (i % 8));
        return $"{new IPAddress(bytes)}/{bits}";
    }

    private static string Short(string text) => text.Length > 40 ? text[..40] + "…" : text;
}
