using System.Globalization;
using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Keeping;

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
    public static IReadOnlyList<LoginTask> Of(LoginWish wish, CommandBook book, ConsoleLog log, int loginLine, IReadOnlySet<string> told)
    {
        var last = Math.Min(log.LineCount, loginLine + MostLines);
        var lines = new List<(int Number, string Text)>(last - loginLine + 1);
        for (var line = loginLine; line <= last; line++)
            lines.Add((line, log.Text(line).TrimEnd()));
        return
        [
            .. new Tasks(wish, book, lines)
                .All()
                .Select(t => t.State == LoginTaskState.Open && told.Contains(t.Id) ? t with { State = LoginTaskState.Told } : t),
        ];
    }

    /// <summary>What a session said of itself: whose it is, and which tools there are.</summary>
    private sealed record Session(int Line, string User, IReadOnlySet<string> Tools)
    {
        public bool IsRoot => User == "root";
        public bool MayBecomeRoot => IsRoot || Tools.Contains("sudo") && (Tools.Contains("root-free") || Tools.Contains("admin"));
    }

    private sealed class Tasks
    {
        private readonly LoginWish wish;
        private readonly CommandBook book;
        private readonly IReadOnlyList<(int Number, string Text)> lines;
        private readonly IReadOnlyList<Session> sessions;
        private readonly Session? now;

        public Tasks(LoginWish wish, CommandBook book, IReadOnlyList<(int Number, string Text)> lines)
        {
            (this.wish, this.book, this.lines) = (wish, book, lines);
            var told = book.Of("tools", null)?.Proves();
            sessions =
            [
                .. lines
                    .Select(l => (l.Number, Match: told?.Match(l.Text)))
                    .Where(l => l.Match is { Success: true })
                    .Select(l => new Session(
                        l.Number,
                        l.Match!.Groups["user"].Value,
                        l.Match.Groups["tools"].Value.Split(' ', StringSplitOptions.RemoveEmptyEntries).ToHashSet()
                    )),
            ];
            now = sessions.Count > 0 ? sessions[^1] : null;
        }

        private bool Sudo => now is null ? wish.DefaultUser != "root" : !now.IsRoot;

        /// <summary>Somebody other than root was seen to have logged in and to be able to become root: a door that stays open.</summary>
        private bool SecondDoor => sessions.Any(s => !s.IsRoot && s.User != wish.DefaultUser && s.MayBecomeRoot);

        public IEnumerable<LoginTask> All()
        {
            yield return Tools();
            if (wish.DefaultUser is { } user && wish.Set?.User != user)
                yield return Password(user);
            foreach (var other in wish.Shipped?.Where(o => o != wish.DefaultUser && o != "root") ?? [])
                yield return Password(other);
            if (wish.Set?.User is null && wish.DefaultUser is not null)
            {
                yield return User(wish.DefaultUser);
                yield return Second();
                if (wish.DefaultUser != "root")
                    yield return Lock(
                        wish.DefaultUser,
                        $"lock-{wish.DefaultUser}",
                        $"Lock {wish.DefaultUser}",
                        "A name that everybody knows is half of a login."
                    );
            }
            yield return Lock("root", "root", "Root has no password", "Nobody logs in as root; sudo is for the rare case.");
            yield return RootByNetwork();
            yield return HostName();
            if (wish.Set?.Wireless is { } radio)
                yield return Task(
                    "country",
                    $"Wireless country {radio.Country}",
                    "Without a country the radio stays off, or sends where it may not.",
                    words: ("country", radio.Country)
                );
            yield return Address();
            yield return FileSystem();
            yield return Clock();
            yield return Task(
                "updates",
                "Updates",
                "What came out since the image was made. It can wait; the first one takes longest.",
                "10 to 40 min",
                caution: "Keep the supply on until it is over."
            );
            if (wish.Screen)
                yield return Task(
                    "screen",
                    "Screen mode",
                    "The line tells in which mode the system drives the screen; check whether the picture fills it and is sharp."
                );
        }

        private LoginTask Tools()
        {
            var task = Task(
                "tools",
                "What the system has",
                "Which user this is, and which tools there are: the commands below are made for them. It only reads."
            );
            return now is null
                ? task
                : task with
                {
                    Line = now.Line,
                    Tells =
                        $"{now.User} is logged in{(now.IsRoot ? "" : now.MayBecomeRoot ? " and may become root" : " and may not become root")}. Ask again behind each login.",
                };
        }

        private LoginTask User(string old)
        {
            var alone = old == "root";
            var task = Task(
                "user",
                alone ? "A user of your own" : $"A user of your own in place of {old}",
                alone
                    ? "Root is the only one who can log in. Work is done as another user who may become root."
                    : "A name that everybody knows is half of a login. A user cannot be renamed from its own session, so another one is made.",
                asks: "New name",
                caution: now?.Tools.Contains("sudo") == false
                    ? "This system has no sudo: the new user becomes root with root's password, so keep one. With a network, sudo can be installed first."
                    : null
            );
            return task with { Needs = task.Needs ?? (now is null ? "Ask first what the system has." : null) };
        }

        private LoginTask Second()
        {
            var task = Task(
                "tools",
                "The new user logs in and may become root",
                "Log out (exit), log in as the new user, and ask what the system has: what is locked below is then not the only way in."
            ) with
            {
                Id = "second",
                State = LoginTaskState.Open,
                Line = null,
                Tells = null,
            };
            return sessions.LastOrDefault(s => !s.IsRoot && s.User != wish.DefaultUser) is not { } seen
                ? task
                : task with
                {
                    State = seen.MayBecomeRoot ? LoginTaskState.Proven : LoginTaskState.Failed,
                    Line = seen.Line,
                    Tells = seen.MayBecomeRoot
                        ? null
                        : $"{seen.User} logged in, and may not become root: {(seen.Tools.Contains("sudo") ? "it is in no group that may" : "there is no sudo")}.",
                };
        }

        /// <summary>Nothing is locked that may be the only way in.</summary>
        private string? OnlyWayIn(string user) =>
            now is null ? "Ask first what the system has."
            : now.User == user
                ? $"This session is {user}'s own: log in as another user who may become root, and ask again what the system has."
            : !SecondDoor
            && !(user != "root" && wish.Set?.User is not null && now.MayBecomeRoot)
            && !(user == "root" && now is { IsRoot: false, MayBecomeRoot: true })
                ? $"No other user was seen to log in here and to become root: with {user} locked, perhaps nobody gets in again."
            : null;

        private LoginTask Lock(string user, string id, string title, string why)
        {
            var task = Task("lock", title, why, words: ("user", user)) with { Id = id };
            return task with { Needs = OnlyWayIn(user) ?? task.Needs };
        }

        private LoginTask RootByNetwork()
        {
            var task = Task(
                "root-remote",
                "No remote login of root",
                "Whoever tries passwords over the network tries root first. At the console root still logs in."
            );
            return task with { Needs = OnlyWayIn("root") ?? task.Needs };
        }

        private LoginTask Password(string user)
        {
            var own = now?.User == user || now is null && user == wish.DefaultUser;
            var task = Task(
                own ? "own-password" : "password",
                $"A password of your own for {user}",
                "The one that the image came with is known to everybody.",
                caution: "Type it in the console: it is not kept in the log.",
                words: ("user", user)
            ) with
            {
                Id = $"password-{user}",
            };
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

        private LoginTask HostName()
        {
            var host = wish.Host;
            var task = Task(
                "host",
                $"Host name {host}, in both files",
                "A name that stands in one file only makes sudo slow and the network call it otherwise.",
                words: ("host", host)
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
            var task = Task("address", "An address", "Whether the network gave it one. A leased address may change.");
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
                    if (wish.Set?.Address is { } set && set.Addresses.All(a => a.Split('/')[0] != address) && !own)
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
                caution: "When it is small: grow the partition and then the file system as your system describes it; do not cut power."
            );
            foreach (var (number, text) in lines)
                if (DiskLine().Match(text) is { Success: true } match && Gib(match.Groups[1].Value) is { } size)
                {
                    var card = wish.CardBytes is { } bytes ? (double?)bytes / Sizes.GiB : null;
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
            double.TryParse(size[..^1].Replace(',', '.'), NumberStyles.Float, CultureInfo.InvariantCulture, out var number)
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
            var task = Task("clock", "The clock", "With a wrong one certificates and updates fail.");
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

        /// <summary>A task with its command from the book, ticked by the last line that tells of it.</summary>
        private LoginTask Task(
            string id,
            string title,
            string why,
            string? minutes = null,
            string? asks = null,
            string? caution = null,
            params (string, string)[] words
        )
        {
            var command = book.Of(id, now?.Tools);
            var needs =
                command is null ? "This system has no tool for it that is known here: do it by hand."
                : command.As == CommandAs.Root && now is { MayBecomeRoot: false }
                    ? $"{now.User} may not become root: log in as root or as a user who may, and ask again what the system has."
                : null;
            var task = new LoginTask(
                id,
                title,
                why,
                command?.Line(Sudo, words),
                asks,
                minutes,
                caution,
                LoginTaskState.Open,
                null,
                null,
                needs,
                command?.Ran?.Count ?? 0
            );
            var (proof, failed) = (command?.Proves(words), command?.Fails(words));
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

    [GeneratedRegex(@"^\S*[@:~\w/-]*[$#] (?:sudo )?(?:sh -c ')?(?:LC_ALL=C )?passwd(?: (?<user>[a-z_][\w-]*))?'?$")]
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
        @"passwd: (?:Authentication token manipulation error|password unchanged|applet not found|(?:command )?not found|.*(?:failure|not match))|[Pp]asswords don't match"
    )]
    private static partial Regex PasswordRefused();

    // What ip address says of an interface, long and brief (ip-address(8)); a route is no address.
    [GeneratedRegex(
        @"^(?:\s*inet |[\w.:@-]+\s+(?:UP|DOWN|UNKNOWN|LOWERLAYERDOWN|DORMANT)\s.*?)(\d{1,3}\.\d{1,3}\.\d{1,3}\.\d{1,3})/\d{1,2}\b"
    )]
    private static partial Regex AddressLine();

    [GeneratedRegex(@"^\S+\s+([\d.,]+[KMGT])\s+\S+\s+\S+\s+\d+% /$")]
    private static partial Regex DiskLine();

    [GeneratedRegex(@"^\d{4}-\d\d-\d\dT\d\d:\d\d$")]
    private static partial Regex ClockLine();
}
