using System.Net;
using System.Net.Sockets;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Keeping;

/// <summary>A device in a list of neighbours or leases.</summary>
/// <param name="Hardware">Its hardware address in small letters with colons, or null.</param>
public sealed record Neighbour(string Address, string? Hardware, string? Name);

/// <summary>What two lists tell, and what to do.</summary>
/// <param name="New">Devices that are only in the second list.</param>
/// <param name="Gone">Devices that are only in the first one.</param>
/// <param name="Says">In sentences.</param>
public sealed record FoundDevices(IReadOnlyList<Neighbour> New, IReadOnlyList<Neighbour> Gone, IReadOnlyList<string> Says);

/// <summary>What a message of a program that connects means.</summary>
/// <param name="CauseId">The cause that it stands for.</param>
/// <param name="Command">The one command that mends it, or null.</param>
public sealed record ConnectTrouble(string CauseId, string Says, string? Command);

/// <summary>Finds a board on the network from what a person pastes; nothing is sent and nothing is scanned.</summary>
public static partial class Neighbours
{
    /// <summary>Letters of a list that are looked at.</summary>
    public const int Longest = 200_000;

    /// <summary>The devices of a pasted list: neighbour tables (ip neigh, arp -a), lease files of a router, tables of its page.</summary>
    public static IReadOnlyList<Neighbour> Read(string list)
    {
        var found = new List<Neighbour>();
        foreach (var line in Lease().Replace(list, m => string.Join(' ', m.Value.Split('\n').Select(l => l.Trim()))).Split('\n'))
        {
            // An entry that nobody answered to is no device (ip-neighbour(8), arp(8)).
            if (Unanswered().IsMatch(line))
                continue;
            var address = V4().Matches(line).Select(m => m.Value).FirstOrDefault(IsHost);
            var six = address is null
                ? line.Split([' ', '\t', ',', ';', '|'])
                    .FirstOrDefault(w =>
                        w.Contains("::", StringComparison.Ordinal)
                        && IPAddress.TryParse(w, out var ip)
                        && ip.AddressFamily == AddressFamily.InterNetworkV6
                        && !ip.IsIPv6Multicast
                    )
                : null;
            if ((address ?? six) is not { } where)
                continue;
            var hardware = Hardware().Match(line) is { Success: true } h ? h.Value.ToLowerInvariant().Replace('-', ':') : null;
            var name = ClientName().Match(line) is { Success: true } client
                ? client.Groups[1].Value
                : line.Split([' ', '\t', ',', ';', '|', '(', ')', '*'], StringSplitOptions.RemoveEmptyEntries)
                    .FirstOrDefault(w => Name().IsMatch(w) && !NoName.Contains(w) && !Interface().IsMatch(w));
            found.Add(new(where, hardware, name));
        }
        return [.. found.DistinctBy(n => (n.Address, n.Hardware))];
    }

    /// <summary>Words of such lists that are no names of hosts.</summary>
    private static readonly HashSet<string> NoName =
    [
        "dev",
        "lladdr",
        "at",
        "on",
        "ether",
        "permanent",
        "dynamic",
        "static",
        "incomplete",
        "REACHABLE",
        "STALE",
        "DELAY",
        "PROBE",
        "FAILED",
        "NOARP",
        "PERMANENT",
        "router",
        "extern_learn",
        "proxy",
        "Address",
        "HWtype",
        "HWaddress",
        "Flags",
        "Mask",
        "Iface",
        "ifscope",
        "online",
        "offline",
        "active",
        "lease",
        "leases",
        "Yes",
        "No",
        "yes",
        "no",
    ];

    private static bool IsHost(string text) =>
        IPAddress.TryParse(text, out var ip)
        && ip.ToString() == text
        && !text.StartsWith("127.", StringComparison.Ordinal)
        && !text.EndsWith(".255", StringComparison.Ordinal)
        && !text.StartsWith("255.", StringComparison.Ordinal)
        // Groups of receivers (RFC 5771) are no devices.
        && ip.GetAddressBytes()[0] is not (>= 224 and <= 239)
        && text != "0.0.0.0";

    /// <summary>What came and went between two lists; a device counts by its hardware address, else by its address.</summary>
    /// <param name="host">The host name that the board was given, or null.</param>
    /// <param name="own">Addresses that the board's own console told.</param>
    /// <param name="computer">Addresses of the computer at the bench, which is no device that is looked for; null for none.</param>
    public static FoundDevices Compare(
        string before,
        string after,
        string? host,
        IReadOnlyList<string> own,
        IReadOnlyCollection<string>? computer = null
    )
    {
        List<Neighbour> Others(string list) => [.. Read(list).Where(n => computer?.Contains(n.Address) != true)];
        var (first, second) = (Others(before), Others(after));
        static string Key(Neighbour n) => n.Hardware ?? n.Address;
        var known = first.Select(Key).ToHashSet();
        var still = second.Select(Key).ToHashSet();
        List<Neighbour> come = [.. second.Where(n => !known.Contains(Key(n))).DistinctBy(Key)];
        List<Neighbour> gone = [.. first.Where(n => !still.Contains(Key(n))).DistinctBy(Key)];
        var says = new List<string>();
        var mine =
            second.FirstOrDefault(n => own.Contains(n.Address))
            ?? second.FirstOrDefault(n => host is not null && host.Equals(n.Name?.Split('.')[0], StringComparison.OrdinalIgnoreCase));
        if (second.Count == 0)
            says.Add("No address stands in the second list: paste what ip neigh, arp -a or the router's list of leases shows.");
        else if (mine is not null)
            says.Add(
                $"{mine.Address} is the board: {(own.Contains(mine.Address) ? "its console says the same address" : $"it calls itself {mine.Name}")}."
            );
        else if (come.Count == 1)
            says.Add($"{come[0].Address} came since: that is most likely the board.");
        else if (come.Count > 1)
            says.Add(
                $"{come.Count} devices came since: take the board's power away, wait until its lease is gone, and look which one goes."
            );
        else
            says.Add("Nothing came since. Look at the lights of the network socket, and at the address on the console (ip -br address).");
        if (second.Any(n => n.Address.StartsWith("169.254.", StringComparison.Ordinal)))
            says.Add("169.254 addresses are ones that devices give themselves because nobody gave them any: the router or its cable.");
        return new(come, gone, says);
    }

    /// <summary>What a message of ssh, ping or a browser means; null when it is none that is known.</summary>
    public static ConnectTrouble? Trouble(string message)
    {
        if (message.Contains("REMOTE HOST IDENTIFICATION HAS CHANGED", StringComparison.Ordinal))
        {
            var host =
                Forget().Match(message) is { Success: true } m ? m.Groups[1].Value
                : HostOf().Match(message) is { Success: true } h ? h.Groups[1].Value
                : null;
            return new(
                CauseIds.HostKeyChanged,
                "The board has another key than when you connected last: that is so after a card was written anew. If you did that, forget the old key; if not, do not connect.",
                host is null ? null : $"ssh-keygen -R \"{host}\""
            );
        }
        if (message.Contains("Host key verification failed", StringComparison.Ordinal))
            return new(
                "host-key-unknown",
                "The key of the board was not accepted: it was answered with no, or nobody could be asked. Connect once by hand and compare the key with what the board's console shows.",
                "ssh-keygen -lf /etc/ssh/ssh_host_ed25519_key.pub"
            );
        if (message.Contains("Network is unreachable", StringComparison.OrdinalIgnoreCase))
            return new(
                "own-network-missing",
                "This computer itself has no way to that network: look at its own cable, wireless or address first.",
                "ip route"
            );
        if (message.Contains("Temporary failure in name resolution", StringComparison.OrdinalIgnoreCase))
            return new(
                "resolver-failed",
                "The name server did not answer this computer: that says nothing of the board. Use the address, or mend the resolver.",
                "resolvectl status"
            );
        if (NoSuchName().IsMatch(message))
            return new(
                CauseIds.NameNotResolved,
                "Nobody on this network knows that name. Use the address, or the name with .local behind it.",
                null
            );
        if (message.Contains("Permission denied", StringComparison.Ordinal))
            return new(
                CauseIds.LoginRefused,
                "It answers, and refuses the user or the password. Look which user the image has, and whether it wants a key.",
                null
            );
        if (message.Contains("Connection refused", StringComparison.Ordinal))
            return new(
                CauseIds.ServiceFailed,
                "The board is there, and nothing answers at that port: remote login is off until it is switched on (Prepare), or still starts.",
                null
            );
        if (
            message.Contains("No route to host", StringComparison.Ordinal)
            || message.Contains("Host is unreachable", StringComparison.OrdinalIgnoreCase)
            || message.Contains("timed out", StringComparison.OrdinalIgnoreCase)
        )
            return new(
                CauseIds.NetworkNoLink,
                "Nothing answers at that address: cable, wireless, or an address that it no longer has.",
                null
            );
        return null;
    }

    [GeneratedRegex(@"(?<![\d.])\d{1,3}(?:\.\d{1,3}){3}(?![\d.])")]
    private static partial Regex V4();

    [GeneratedRegex(@"\b[0-9A-Fa-f]{2}(?:[:-][0-9A-Fa-f]{2}){5}\b")]
    private static partial Regex Hardware();

    [GeneratedRegex(@"^[A-Za-z][\w-]*(?:\.[\w-]+)*\.?$")]
    private static partial Regex Name();

    [GeneratedRegex(@"^(?:eth|en|wl|br|usb|lan|wlan|vmbr|bond|docker|veth)[\w-]*\d[\w-]*$")]
    private static partial Regex Interface();

    [GeneratedRegex(@"(?i)\b(?:FAILED|INCOMPLETE)\b|\(incomplete\)|<incomplete>")]
    private static partial Regex Unanswered();

    // A lease of dhcpd.leases(5) stands over several lines.
    [GeneratedRegex(@"(?m)^lease [^\n{]*\{[^}]*\}")]
    private static partial Regex Lease();

    [GeneratedRegex("client-hostname \"([^\"]+)\"")]
    private static partial Regex ClientName();

    [GeneratedRegex("ssh-keygen -f \\S+ -R [\"']?([^\"'\\s]+)")]
    private static partial Regex Forget();

    // A port other than 22 stands behind the host in brackets (sshd(8), known_hosts).
    [GeneratedRegex(@"Host key for (\[[\w.:-]+\]:\d+|[\w.:-]+) has changed")]
    private static partial Regex HostOf();

    [GeneratedRegex("Could not resolve host|Name or service not known|unknown host|NXDOMAIN", RegexOptions.IgnoreCase)]
    private static partial Regex NoSuchName();
}
