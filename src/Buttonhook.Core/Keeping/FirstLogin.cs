using System.Globalization;
using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Keeping;

/// <summary>How far a task of the first login is.</summary>
public enum LoginTaskState
{
    /// <summary>Nothing shows that it was done.</summary>
    Open,

    /// <summary>A line of the console shows that it was done, or that it is so already.</summary>
    Proven,

    /// <summary>A person says that it was done.</summary>
    Told,

    /// <summary>A line of the console shows that it did not take.</summary>
    Failed,
}

/// <summary>One thing to do after the first login.</summary>
/// <param name="Why">Why, in a sentence.</param>
/// <param name="Command">The exact command for this system, as it is sent over the console; null where hands do it.</param>
/// <param name="Asks">What a person must give for it ("New name"), which stands as {name} in the command; null for nothing.</param>
/// <param name="Minutes">How long it takes, or null for a moment.</param>
/// <param name="Caution">What can go wrong, or null.</param>
/// <param name="Line">The line that shows it.</param>
/// <param name="Tells">What that line says of it, or null.</param>
public sealed record LoginTask(
    string Id,
    string Title,
    string Why,
    string? Command,
    string? Asks,
    string? Minutes,
    string? Caution,
    LoginTaskState State,
    int? Line,
    string? Tells
);

/// <summary>What the tasks of a first login are made for.</summary>
/// <param name="DefaultUser">The user that the image comes with, or null.</param>
/// <param name="Set">What was set before the first boot, or null.</param>
/// <param name="Host">The host name that the board should have.</param>
/// <param name="CardGb">The label of its card in GB, or null.</param>
/// <param name="At">When the capture began.</param>
/// <param name="Shipped">Other people's accounts of the image with a password or none, as its inspection found them; null when nobody looked into it.</param>
public sealed record LoginWish(
    string? DefaultUser,
    FirstBoot? Set,
    string Host,
    int? CardGb,
    bool Screen,
    DateTimeOffset At,
    IReadOnlyList<string>? Shipped = null
);

/// <summary>The list of a first login, made for this image and these wishes, and ticked where the console shows what happened.</summary>
public static partial class FirstLogin
{
    /// <summary>Lines that are looked through behind the first login.</summary>
    private const int MostLines = 20_000;

    /// <summary>A file system that has this share of its card has grown.</summary>
    private const double Grown = 0.8;

    /// <summary>A change is told within so many lines behind the question for it.</summary>
    private const int LinesBehindQuestion = 3;

    /// <summary>A clock may be wrong by so much and still be set: zones and slow captures.</summary>
    private static readonly TimeSpan ClockMayDiffer = TimeSpan.FromHours(36);

    /// <summary>The tasks in the order of the work; an empty list before the login was reached.</summary>
    /// <param name="loginLine">The line of the first login of the boot.</param>
    /// <param name="told">Ids of the tasks that a person says were done.</param>
    public static IReadOnlyList<LoginTask> Of(LoginWish wish, ConsoleLog log, int loginLine, IReadOnlySet<string> told)
    {
        var last = Math.Min(log.LineCount, loginLine + MostLines);
        var lines = new List<(int Number, string Text)>(last - loginLine + 1);
        for (var line = loginLine; line <= last; line++)
            lines.Add((line, log.Text(line).TrimEnd()));
        return
        [
            .. new Tasks(wish, lines)
                .All()
                .Select(t => t.State == LoginTaskState.Open && told.Contains(t.Id) ? t with { State = LoginTaskState.Told } : t),
        ];
    }

    private sealed class Tasks(LoginWish wish, IReadOnlyList<(int Number, string Text)> lines)
    {
        private readonly string sudo = wish.DefaultUser == "root" ? "" : "sudo ";

        public IEnumerable<LoginTask> All()
        {
            if (wish.DefaultUser is { } user && wish.Set?.User != user)
                yield return Password(user);
            foreach (var other in wish.Shipped?.Where(o => o != wish.DefaultUser && o != "root") ?? [])
                yield return Password(other);
            yield return RootPassword();
            yield return RootByNetwork();
            if (wish.DefaultUser is { } old and not "root" && wish.Set?.User is null)
                yield return Task(
                    "user",
                    $"Another name than {old}",
                    "A name that everybody knows is half of a login. Groups and the rule for sudo go with it.",
                    $"{sudo}sh -c 'usermod -l {{name}} -d /home/{{name}} -m {old} && groupmod -n {{name}} {old} && sed -i s/\\\\b{old}\\\\b/{{name}}/g /etc/sudoers.d/* && id {{name}}'",
                    null,
                    asks: "New name",
                    caution: $"Log in as root or as another user for it: a user who is logged in cannot be renamed.",
                    proof: NewUser(),
                    failed: Regex($@"usermod: user {old} is currently used|usermod: .*(?:cannot|exist)")
                );
            yield return HostName();
            if (wish.Set?.Wireless is { } radio)
                yield return Task(
                    "country",
                    $"Wireless country {radio.Country}",
                    "Without a country the radio stays off, or sends where it may not.",
                    $"{sudo}iw reg set {radio.Country}; iw reg get | head -n 4",
                    proof: Regex($@"^country {radio.Country}:"),
                    failed: Regex(@"^country (?:00|98|99):|iw: (?:command )?not found")
                );
            yield return Address();
            yield return FileSystem();
            yield return Clock();
            yield return Task(
                "updates",
                "Updates",
                "What came out since the image was made. It can wait; the first one takes longest.",
                $"if command -v apt-get >/dev/null; then {sudo}sh -c 'apt-get update && apt-get -y upgrade'; elif command -v apk >/dev/null; then {sudo}apk upgrade -U; elif command -v dnf >/dev/null; then {sudo}dnf -y upgrade; elif command -v zypper >/dev/null; then {sudo}zypper -n update; elif command -v pacman >/dev/null; then {sudo}pacman -Syu --noconfirm; else echo 'no package tool is known here'; fi; echo \"the package tool ended with $?\"",
                "10 to 40 min",
                caution: "Keep the supply on until it is over.",
                proof: Regex(
                    @"^\d+ (?:packages? )?upgraded, \d+ newly installed|^OK: \d+ MiB in \d+ packages|^the package tool ended with 0$"
                ),
                failed: Regex(
                    @"^E: |no package tool is known here|Temporary failure resolving|unable to (?:select|fetch)|^the package tool ended with [1-9]"
                )
            );
            if (wish.Screen)
                yield return Task(
                    "screen",
                    "Screen mode",
                    "The line tells in which mode the system drives the screen; look whether the picture fills it and is sharp.",
                    "for s in /sys/class/drm/*/status; do grep -qx connected $s && head -n 1 ${s%status}modes; done | grep x || echo no screen is seen here",
                    proof: Regex(@"^\d{3,4}x\d{3,4}i?$"),
                    failed: Regex(@"^no screen is seen here$")
                );
        }

        private LoginTask Password(string user)
        {
            var task = Task(
                $"password-{user}",
                $"A password of your own for {user}",
                "The one that the image came with is known to everybody.",
                $"{sudo}passwd {user}",
                caution: "Type it in the console: it is not kept in the log."
            );
            // Locking a password says that it was changed, too: only one that was asked for is one.
            var asked = int.MinValue;
            // Whoever logs in is asked first; later it is the one whose name was typed.
            var whose = wish.DefaultUser;
            foreach (var (number, text) in lines)
            {
                if (TypedPasswd().Match(text) is { Success: true } typed)
                    whose = typed.Groups["user"] is { Success: true, Value: var name } ? name : wish.DefaultUser;
                if (whose != user)
                    continue;
                if (NewPassword().IsMatch(text))
                    asked = number;
                if (asked < number - LinesBehindQuestion)
                    continue;
                if (PasswordChanged().IsMatch(text))
                    task = task with { State = LoginTaskState.Proven, Line = number, Tells = null };
                else if (PasswordRefused().IsMatch(text))
                    task = task with { State = LoginTaskState.Failed, Line = number, Tells = text.Trim() };
            }
            return task;
        }

        private LoginTask RootPassword() =>
            Task(
                "root",
                "Root has no password",
                "Nobody logs in as root; sudo is for the rare case.",
                $"{sudo}passwd -l root; {sudo}passwd -S root",
                proof: Regex(@"^root (?:L|LK) |^root:[!*]"),
                failed: Regex(@"^root (?:P|PS) ")
            );

        private LoginTask RootByNetwork() =>
            Task(
                "root-remote",
                "No remote login of root",
                "Whoever tries passwords over the network tries root first.",
                $"{sudo}sh -c 'command -v sshd >/dev/null || {{ echo no remote login here; exit; }}; mkdir -p /etc/ssh/sshd_config.d; echo PermitRootLogin no >/etc/ssh/sshd_config.d/10-no-root.conf; (systemctl reload ssh || service ssh reload) 2>/dev/null; sshd -T | grep -i ^permitrootlogin'",
                proof: Regex(@"^permitrootlogin no|^no remote login here"),
                failed: Regex(@"^permitrootlogin (?:yes|without-password|prohibit-password|forced)")
            );

        private LoginTask HostName()
        {
            var host = wish.Host;
            var task = Task(
                "host",
                $"Host name {host}, in both files",
                "A name that stands in one file only makes sudo slow and the network call it otherwise.",
                sudo
                    + $"sh -c 'echo {host} >/etc/hostname; hostname {host}; grep -q ^127.0.1.1 /etc/hosts && sed -i \"s/^127.0.1.1.*/127.0.1.1 {host}/\" /etc/hosts || echo 127.0.1.1 {host} >>/etc/hosts; grep ^127.0.1.1 /etc/hosts'"
            );
            string? called = null;
            foreach (var (number, text) in lines)
            {
                if (HostPrompt().Match(text) is { Success: true } prompt)
                    called = prompt.Groups["host"].Value;
                if (text.Contains("unable to resolve host", StringComparison.Ordinal))
                    task = task with { State = LoginTaskState.Failed, Line = number, Tells = text.Trim() };
                else if (HostsLine().Match(text) is { Success: true } line)
                    task = task with
                    {
                        State = line.Groups[1].Value == host ? LoginTaskState.Proven : LoginTaskState.Failed,
                        Line = number,
                        Tells = line.Groups[1].Value == host ? null : $"You want {host}, the board says {line.Groups[1].Value}.",
                    };
            }
            return task.State != LoginTaskState.Open || called is null ? task
                : called == host ? task with { Tells = $"It calls itself {called}; whether the second file has it is not shown." }
                : task with { Tells = $"You want {host}, the board says {called}." };
        }

        private LoginTask Address()
        {
            var task = Task(
                "address",
                "An address",
                "Whether the network knows it. A leased address may change.",
                "ip -br address || ip address"
            );
            foreach (var (number, text) in lines)
                if (AddressLine().Match(text) is { Success: true } match)
                {
                    var address = match.Groups[1].Value;
                    if (address.StartsWith("127.", StringComparison.Ordinal))
                        continue;
                    var own = address.StartsWith("169.254.", StringComparison.Ordinal);
                    task = task with
                    {
                        State = own ? LoginTaskState.Failed : LoginTaskState.Proven,
                        Line = number,
                        Tells = own ? $"{address} is one that it gave itself: nobody gave it an address." : $"It has {address}.",
                    };
                    if (wish.Set?.Address is { } set && set.Address.Split('/')[0] != address && !own)
                        task = task with { State = LoginTaskState.Failed, Tells = $"You set {set.Address}, the board says {address}." };
                }
            return task;
        }

        private LoginTask FileSystem()
        {
            var task = Task(
                "grown",
                "The file system has the whole card",
                "Some systems grow by themselves at the first boot, some want to be told.",
                "df -h /",
                caution: "When it is small: grow the partition and then the file system as your system describes it; do not cut power."
            );
            foreach (var (number, text) in lines)
                if (DiskLine().Match(text) is { Success: true } match && Gib(match.Groups[1].Value) is { } size)
                {
                    var card = wish.CardGb is { } gb ? (double?)Sizes.CardBytes(gb) / Sizes.GiB : null;
                    task = task with
                    {
                        State =
                            card is null ? LoginTaskState.Open
                            : size >= Grown * card ? LoginTaskState.Proven
                            : LoginTaskState.Failed,
                        Line = number,
                        Tells = card is null
                            ? $"It has {match.Groups[1].Value}; how large the card is, is not known."
                            : string.Create(CultureInfo.InvariantCulture, $"It has {match.Groups[1].Value} of {card:0.0} GiB."),
                    };
                }
            return task;
        }

        private static double? Gib(string size) =>
            double.TryParse(size[..^1], NumberStyles.Float, CultureInfo.InvariantCulture, out var number)
                ? size[^1] switch
                {
                    'T' => number * 1024,
                    'G' => number,
                    'M' => number / 1024,
                    'K' => number / 1024 / 1024,
                    _ => null,
                }
                : null;

        private LoginTask Clock()
        {
            var task = Task("clock", "The clock", "With a wrong one certificates and updates fail.", "date -u +%Y-%m-%dT%H:%M");
            foreach (var (number, text) in lines)
                if (
                    ClockLine().IsMatch(text)
                    && DateTimeOffset.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out var says)
                )
                {
                    var right = (says - wish.At).Duration() <= ClockMayDiffer;
                    task = task with
                    {
                        State = right ? LoginTaskState.Proven : LoginTaskState.Failed,
                        Line = number,
                        Tells = right
                            ? $"It says {text}."
                            : $"It says {text}, and this computer {wish.At.UtcDateTime.ToString("yyyy-MM-ddTHH:mm", CultureInfo.InvariantCulture)}.",
                    };
                }
            return task;
        }

        private static Regex Regex(string pattern) =>
            new(pattern, RegexOptions.NonBacktracking | RegexOptions.IgnoreCase | RegexOptions.CultureInvariant);

        /// <summary>A task, ticked by the last line that tells of it.</summary>
        private LoginTask Task(
            string id,
            string title,
            string why,
            string? command,
            string? minutes = null,
            string? asks = null,
            string? caution = null,
            Regex? proof = null,
            Regex? failed = null
        )
        {
            var task = new LoginTask(id, title, why, command, asks, minutes, caution, LoginTaskState.Open, null, null);
            foreach (var (number, text) in lines)
            {
                // What was typed is no answer to itself.
                if (Typed().IsMatch(text))
                    continue;
                if (proof?.IsMatch(text) == true)
                    task = task with { State = LoginTaskState.Proven, Line = number, Tells = null };
                else if (failed?.IsMatch(text) == true)
                    task = task with { State = LoginTaskState.Failed, Line = number, Tells = text.Trim() };
            }
            return task;
        }
    }

    [GeneratedRegex(@"^\S*[@:~\w/-]*[$#] \S")]
    private static partial Regex Typed();

    [GeneratedRegex(@"^\S*[@:~\w/-]*[$#] (?:sudo )?passwd(?: (?<user>[a-z_][\w-]*))?$")]
    private static partial Regex TypedPasswd();

    [GeneratedRegex(@"^(?<host>[A-Za-z][\w-]*) login:|^[a-z_][\w-]*@(?<host>[A-Za-z][\w-]*):")]
    private static partial Regex HostPrompt();

    [GeneratedRegex(@"^127\.0\.1\.1\s+([\w-]+)")]
    private static partial Regex HostsLine();

    [GeneratedRegex(@"(?i)(?:new|retype|again).{0,30}password.{0,20}:")]
    private static partial Regex NewPassword();

    // passwd of shadow, of busybox and of PAM.
    [GeneratedRegex(
        @"passwd: (?:password updated successfully|password changed)|password for \S+ changed|all authentication tokens updated"
    )]
    private static partial Regex PasswordChanged();

    [GeneratedRegex(
        @"passwd: (?:Authentication token manipulation error|password unchanged|.*(?:failure|not match))|[Pp]asswords don't match"
    )]
    private static partial Regex PasswordRefused();

    [GeneratedRegex(@"^uid=\d+\(")]
    private static partial Regex NewUser();

    [GeneratedRegex(@"(?:^|\s)(?:inet )?(\d{1,3}\.\d{1,3}\.\d{1,3}\.\d{1,3})/\d{1,2}\b")]
    private static partial Regex AddressLine();

    [GeneratedRegex(@"^\S+\s+([\d.]+[KMGT])\s+\S+\s+\S+\s+\d+% /$")]
    private static partial Regex DiskLine();

    [GeneratedRegex(@"^\d{4}-\d\d-\d\dT\d\d:\d\d$")]
    private static partial Regex ClockLine();
}
