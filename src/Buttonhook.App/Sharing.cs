using System.Collections.Concurrent;
using System.Net;
using System.Net.NetworkInformation;
using System.Net.Sockets;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using System.Threading.RateLimiting;
using Buttonhook.Core;

namespace Buttonhook.App;

/// <summary>How the bench is reached from another device.</summary>
public enum ShareMode
{
    /// <summary>Not at all.</summary>
    Off,

    /// <summary>With TLS and a certificate that this Buttonhook signed itself: browsers ask once whether to trust it.</summary>
    Tls,

    /// <summary>Without TLS: who listens in this network reads the key and all else.</summary>
    Plain,
}

/// <summary>What a page of this computer shows, so that another device gets in.</summary>
/// <param name="Url">The address with the key in it.</param>
/// <param name="Svg">The address as a QR code.</param>
/// <param name="Says">What sharing means here, in plain words.</param>
public sealed record ShareView(string Url, string Key, string Svg, string Says, string? Fingerprint);

/// <summary>The way in for other devices: an end point of its own, a key that changes at every start, and a cookie for those who gave it.</summary>
public sealed class Sharing : IDisposable
{
    /// <summary>The cookie of a device that gave the key.</summary>
    public const string Cookie = "buttonhook-access";

    /// <summary>Where the key is given.</summary>
    public const string Gate = "/access";

    /// <summary>Letters and digits that are told apart in any type face; 16 of them are 80 bits.</summary>
    private const string Letters = "abcdefghjkmnpqrstuvwxyz23456789";
    private const int KeyLetters = 16;

    /// <summary>How many keys a device, and all devices together, may try in a minute.</summary>
    private const int TriesOfOne = 6,
        TriesOfAll = 60;
    private readonly ConcurrentDictionary<string, byte> admitted = new();
    private readonly PartitionedRateLimiter<string> tries = PartitionedRateLimiter.CreateChained(
        PartitionedRateLimiter.Create<string, string>(who => RateLimitPartition.GetFixedWindowLimiter(who, _ => InAMinute(TriesOfOne))),
        PartitionedRateLimiter.Create<string, string>(_ => RateLimitPartition.GetFixedWindowLimiter("all", _ => InAMinute(TriesOfAll)))
    );

    /// <summary>Whether a request came through the end point for other devices.</summary>
    public bool Is(HttpContext context) => context.Connection.LocalPort == Port;

    private Sharing(ShareMode mode, int port, X509Certificate2? certificate)
    {
        Mode = mode;
        Port = port;
        Certificate = certificate;
        Key = RandomNumberGenerator.GetString(Letters, KeyLetters);
    }

    private static FixedWindowRateLimiterOptions InAMinute(int permits) =>
        new() { PermitLimit = permits, Window = TimeSpan.FromMinutes(1) };

    /// <summary>The way in that the options ask for; null for none.</summary>
    public static Sharing? Of(BenchOptions options) =>
        options.Share == ShareMode.Off
            ? null
            : new(options.Share, options.SharePort, options.Share == ShareMode.Tls ? CertificateOf(options.DataFolder) : null);

    /// <summary>How.</summary>
    public ShareMode Mode { get; }

    /// <summary>The TCP port, at all addresses of this computer.</summary>
    public int Port { get; }

    /// <summary>The certificate; null without TLS.</summary>
    public X509Certificate2? Certificate { get; }

    /// <summary>What another device must know.</summary>
    public string Key { get; }

    private string Scheme => Mode == ShareMode.Tls ? "https" : "http";

    /// <summary>The certificate's SHA-256 as browsers show it; null without TLS.</summary>
    public string? Fingerprint =>
        Certificate is null ? null : string.Join(':', SHA256.HashData(Certificate.RawData).Select(b => b.ToString("X2")));

    /// <summary>Addresses of this computer at which others may reach it.</summary>
    public static IReadOnlyList<IPAddress> Addresses() =>
        [
            .. NetworkInterface
                .GetAllNetworkInterfaces()
                .Where(n => n.OperationalStatus == OperationalStatus.Up && n.NetworkInterfaceType != NetworkInterfaceType.Loopback)
                .SelectMany(n => n.GetIPProperties().UnicastAddresses.Select(a => a.Address))
                .Where(a =>
                    a.AddressFamily == AddressFamily.InterNetwork
                    || a is { IsIPv6LinkLocal: false, AddressFamily: AddressFamily.InterNetworkV6 }
                )
                .OrderBy(a => a.AddressFamily),
        ];

    /// <summary>What the page shows and the terminal prints.</summary>
    public ShareView View()
    {
        var host = Addresses().FirstOrDefault() is { } address
            ? address.AddressFamily == AddressFamily.InterNetworkV6
                ? $"[{address}]"
                : $"{address}"
            : Environment.MachineName;
        var url = $"{Scheme}://{host}:{Port}{Gate}?key={Key}";
        return new(
            url,
            Key,
            SquareCode.Svg(url, "#23282D"),
            Mode == ShareMode.Tls
                ? "The way is encrypted. The certificate was made here, so a browser warns once; go on when the fingerprint is the one below."
                : "The way is not encrypted: whoever can listen in this network can read the key and everything that is typed. Use it in a network of your own only.",
            Fingerprint
        );
    }

    /// <summary>Whether a host is this computer as another one names it.</summary>
    /// <param name="at">The address at which the request arrived.</param>
    public static bool IsOwnName(string host, IPAddress? at) =>
        (
            IPAddress.TryParse(host.Trim('[', ']'), out var named)
            && at is not null
            && named.Equals(at.IsIPv4MappedToIPv6 ? at.MapToIPv4() : at)
        )
        || host.Equals(Environment.MachineName, StringComparison.OrdinalIgnoreCase)
        || host.Equals(Environment.MachineName + ".local", StringComparison.OrdinalIgnoreCase);

    /// <summary>Whether a request carries the cookie of a device that gave the key.</summary>
    public bool Admits(HttpContext context) => context.Request.Cookies[Cookie] is { } token && admitted.ContainsKey(token);

    /// <summary>Lets a device in that knows the key; a problem for a wrong key, and for one that tries too often.</summary>
    public Problem? Admit(HttpContext context, string key)
    {
        using var lease = tries.AttemptAcquire(context.Connection.RemoteIpAddress?.ToString() ?? "");
        if (!lease.IsAcquired)
            return new(
                "A key may be tried six times in a minute.",
                "These were more.",
                "Wait a minute, and look at the key in the terminal."
            );
        var given = System.Text.Encoding.UTF8.GetBytes(key.Trim().Replace("-", "", StringComparison.Ordinal).ToLowerInvariant());
        if (!CryptographicOperations.FixedTimeEquals(given, System.Text.Encoding.UTF8.GetBytes(Key)))
            return new(
                "The key of this start should be given.",
                "It is another one.",
                "Look at the terminal or the page of the computer that shares."
            );
        var token = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(32));
        admitted[token] = 0;
        context.Response.Cookies.Append(
            Cookie,
            token,
            new()
            {
                HttpOnly = true,
                SameSite = SameSiteMode.Strict,
                Secure = Mode == ShareMode.Tls,
                Path = "/",
                IsEssential = true,
            }
        );
        return null;
    }

    /// <summary>The certificate of this bench, made once and kept for its owner alone.</summary>
    private static X509Certificate2 CertificateOf(string folder)
    {
        var path = Path.Combine(folder, "share.pfx");
        if (File.Exists(path))
            try
            {
                var kept = X509CertificateLoader.LoadPkcs12FromFile(path, null);
                if (kept.NotAfter > DateTime.Now.AddDays(7))
                    return kept;
            }
            catch (CryptographicException)
            {
                // A damaged one is made anew.
            }
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest($"CN=Buttonhook on {Environment.MachineName}", key, HashAlgorithmName.SHA256);
        var names = new SubjectAlternativeNameBuilder();
        names.AddDnsName(Environment.MachineName);
        names.AddDnsName(Environment.MachineName + ".local");
        foreach (var address in Addresses())
            names.AddIpAddress(address);
        request.CertificateExtensions.Add(names.Build());
        request.CertificateExtensions.Add(new X509BasicConstraintsExtension(false, false, 0, true));
        request.CertificateExtensions.Add(new X509EnhancedKeyUsageExtension([new Oid("1.3.6.1.5.5.7.3.1")], false));
        using var made = request.CreateSelfSigned(DateTimeOffset.Now.AddDays(-1), DateTimeOffset.Now.AddDays(365));
        var bytes = made.Export(X509ContentType.Pfx);
        File.WriteAllBytes(path, bytes);
        File.SetUnixFileMode(path, UnixFileMode.UserRead | UnixFileMode.UserWrite);
        return X509CertificateLoader.LoadPkcs12(bytes, null);
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        tries.Dispose();
        Certificate?.Dispose();
    }
}
