using System.Text;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Tests.Consoles;

/// <summary>Dialogues for a login and a change of password, against boards that ask as login(1), passwd(1) and their translations do.</summary>
public sealed class DialogueTests
{
    private const string Secret = "Codling-7";

    /// <summary>A terminal with a program behind it, as the kernel's line discipline makes it: echo where it is on, ^U takes the line away, Enter gives it to the program.</summary>
    private sealed class Board(string begins, Func<string, Board, string> answers)
    {
        private readonly StringBuilder line = new();
        public bool Echo { get; set; } = true;
        public string Star { get; init; } = "";
        public string Shown { get; private set; } = begins;
        public List<string> Lines { get; } = [];

        /// <summary>What it prints back at once for what is typed.</summary>
        public string Type(byte[] bytes)
        {
            var from = Shown.Length;
            foreach (var key in Encoding.UTF8.GetString(bytes))
                switch (key)
                {
                    case '\u0015':
                        if (Echo)
                            Shown += string.Concat(Enumerable.Repeat("\b \b", line.Length));
                        line.Clear();
                        break;
                    case '\r':
                        var typed = line.ToString();
                        line.Clear();
                        Lines.Add(typed);
                        Shown += "\r\n" + answers(typed, this);
                        break;
                    default:
                        line.Append(key);
                        Shown += Echo ? key : Star;
                        break;
                }
            return Shown[from..];
        }
    }

    /// <summary>Runs it to its end, 50 ms a step; gives whatever was typed openly.</summary>
    private static string Run(TypingRun run, Board board)
    {
        var open = new StringBuilder();
        var text = board.Shown;
        for (var now = 0; run.State == SequenceState.Waiting && now < 200_000; now += 50)
        {
            var typed = run.Advance(now, Clean(text));
            text = "";
            if (typed is not var (bytes, secret))
                continue;
            if (!secret)
                open.Append(Encoding.UTF8.GetString(bytes));
            text = board.Type(bytes);
        }
        return open.ToString();
    }

    private static string Clean(string text) => string.Join('\n', text.Split('\n').Select(l => LineText.Clean(Encoding.UTF8.GetBytes(l))));

    /// <summary>login(1) with a name and a password, in the words of a language.</summary>
    private static Board Login(
        string begins,
        string login,
        string password,
        string wrong,
        string shell,
        bool open = false,
        string star = ""
    )
    {
        string? user = null;
        var asks = begins.TrimEnd().EndsWith(password.TrimEnd(), StringComparison.Ordinal) ? 1 : 0;
        return new(
            begins,
            (line, board) =>
            {
                if (asks == 0)
                {
                    if (line.Length == 0 && !begins.Contains("incorrect", StringComparison.Ordinal))
                        return login;
                    (user, asks, board.Echo) = (line, 1, open);
                    return password;
                }
                (asks, board.Echo) = (0, true);
                return user == "keeper" && line == Secret ? "Last login: Sat Mar 14\r\n" + shell : wrong + "\r\n" + login;
            }
        )
        {
            Star = star,
            Echo = asks == 0,
        };
    }

    public static TheoryData<string, string, string, string> Languages =>
        new()
        {
            { "orchard login: ", "Password: ", "Login incorrect", "keeper@orchard:~$ " },
            { "orchard login: ", "Passwort: ", "Anmeldung fehlgeschlagen", "keeper@orchard:~$ " },
            { "orchard Anmeldung: ", "Passwort: ", "Anmeldung falsch", "[keeper@orchard ~]$ " },
            { "orchard login: ", "Mot de passe : ", "Identifiant incorrect", "~ $ " },
            { "orchard login: ", "Пароль: ", "Неверное имя", "# " },
            { "orchard login: ", "\u5BC6\u7801\uFF1A", "Login incorrect", "keeper@orchard:~$ " },
            { "orchard login: ", "Code>", "nope", "keeper@orchard:~$ " },
        };

    [Theory]
    [MemberData(nameof(Languages))]
    public void A_login_follows_what_is_asked_in_any_language(string login, string password, string wrong, string shell)
    {
        var board = Login(login, login, password, wrong, shell);
        var run = new LogIn("keeper", Secret);
        Assert.Equal("keeper\r", Run(run, board));
        Assert.Equal((SequenceState.Done, "Done."), (run.State, run.Says));
        Assert.Equal(["keeper", Secret], board.Lines);
        var refused = new LogIn("keeper", "other");
        Run(refused, Login(login, login, password, wrong, shell));
        Assert.Equal(SequenceState.Failed, refused.State);
        Assert.Contains("did not let keeper in", refused.Says);
    }

    [Fact]
    public void Behind_a_failed_login_an_empty_name_is_no_Enter_and_nothing_is_typed_openly_but_the_name()
    {
        // login(1) itself asks again here: an Enter would count as an empty name.
        var board = Login("Login incorrect\r\norchard login: ", "orchard login: ", "Password: ", "Login incorrect", "keeper@orchard:~$ ");
        var run = new LogIn("keeper", Secret);
        Assert.Equal("keeper\r", Run(run, board));
        Assert.Equal(SequenceState.Done, run.State);
        Assert.DoesNotContain(Secret, board.Shown);
    }

    [Fact]
    public void Somebody_elses_question_for_a_password_gets_no_name_and_no_secret()
    {
        var board = Login("orchard login: root\r\nPassword: ", "orchard login: ", "Password: ", "Login incorrect", "keeper@orchard:~$ ");
        var run = new LogIn("keeper", Secret);
        Run(run, board);
        Assert.Equal(SequenceState.Done, run.State);
        Assert.Equal(["", "keeper", Secret], board.Lines);
        Assert.DoesNotContain(Secret, board.Shown);
    }

    [Fact]
    public void Where_the_board_shows_what_is_typed_no_secret_is_typed()
    {
        var board = Login("orchard login: ", "orchard login: ", "Password: ", "Login incorrect", "$ ", open: true);
        var run = new LogIn("keeper", Secret);
        Run(run, board);
        Assert.Equal(SequenceState.Failed, run.State);
        Assert.Contains("shows what is typed", run.Says);
        Assert.DoesNotContain(board.Lines, l => l.Contains(Secret, StringComparison.Ordinal));
        Assert.DoesNotContain(Secret, board.Shown);
    }

    [Fact]
    public void Stars_for_letters_are_silent_enough()
    {
        var board = Login("orchard login: ", "orchard login: ", "Password: ", "Login incorrect", "keeper@orchard:~$ ", star: "*");
        var run = new LogIn("keeper", Secret);
        Run(run, board);
        Assert.Equal(SequenceState.Done, run.State);
    }

    [Theory]
    [InlineData("Do you want to continue? [Y/n] ")]
    [InlineData("--More--")]
    [InlineData("=> ")]
    public void What_else_waits_at_the_console_gets_no_key(string waits)
    {
        var board = new Board(waits, (_, _) => "");
        var run = new LogIn("keeper", Secret);
        Assert.Equal("", Run(run, board));
        Assert.Equal(SequenceState.Failed, run.State);
    }

    [Fact]
    public void A_silent_console_is_woken_and_an_open_shell_is_one()
    {
        var board = new Board("", (_, _) => "root@orchard:~# ");
        var run = new LogIn("root", Secret);
        Assert.Equal("\r", Run(run, board));
        Assert.Equal((SequenceState.Done, "Somebody is logged in already."), (run.State, run.Says));
        var mute = new LogIn("root", Secret);
        Run(mute, new Board("", (_, _) => ""));
        Assert.Equal(SequenceState.TimedOut, mute.State);
    }

    /// <summary>passwd(1) with its questions.</summary>
    private static Board Passwd(string[] questions, string end, string? refuses = null)
    {
        var at = 0;
        return new(
            questions[0],
            (line, board) =>
            {
                if (refuses is not null && at == questions.Length - 2 && line == Secret)
                    return refuses + "\r\n" + questions[at];
                board.Echo = ++at >= questions.Length;
                return at < questions.Length ? questions[at] : end;
            }
        )
        {
            Echo = false,
        };
    }

    [Theory]
    [InlineData("Current password: |New password: |Retype new password: ", "old")]
    [InlineData("Aktuelles Passwort: |Neues Passwort: |Geben Sie das neue Passwort erneut ein: ", "old")]
    [InlineData("New password: |Retype new password: ", "")]
    [InlineData("Geben Sie ein neues Passwort ein: |Geben Sie das neue Passwort erneut ein: ", "")]
    public void A_change_of_password_answers_what_is_asked(string questions, string old)
    {
        var all = questions.Split('|');
        var board = Passwd(all, "passwd: password updated successfully\r\nroot@orchard:~# ");
        var run = new ChangePassword(old, Secret);
        Assert.Equal("", Run(run, board));
        Assert.Equal(SequenceState.Done, run.State);
        Assert.Equal(all.Length == 3 ? [old, Secret, Secret] : [Secret, Secret], board.Lines);
    }

    [Fact]
    public void A_password_that_is_refused_is_not_typed_again_and_again()
    {
        var board = Passwd(["New password: ", "Retype new password: "], "# ", "BAD PASSWORD: is too simple");
        var run = new ChangePassword("", Secret);
        Run(run, board);
        Assert.Equal(SequenceState.Failed, run.State);
        Assert.Contains("BAD PASSWORD", run.Says);
        Assert.Equal([Secret], board.Lines);
    }

    [Fact]
    public void A_secret_of_a_sequence_is_typed_only_where_it_is_silent()
    {
        var sequence = new Sequence("Unlock", [new("key:", "\\x50ear\\r", 20, true)]);
        var silent = new Board("The key: ", (_, _) => "open\r\n") { Echo = false };
        var run = new SequenceRun(sequence);
        Run(run, silent);
        Assert.Equal((SequenceState.Done, "Pear"), (run.State, Assert.Single(silent.Lines)));
        var loud = new Board("The key: ", (_, _) => "open\r\n");
        var other = new SequenceRun(sequence);
        Run(other, loud);
        Assert.Equal(SequenceState.Failed, other.State);
        Assert.Empty(loud.Lines);
        Assert.NotNull(Sequence.Checked(new("a", [new(null, "x", 30, true)])).Problem);
    }
}
