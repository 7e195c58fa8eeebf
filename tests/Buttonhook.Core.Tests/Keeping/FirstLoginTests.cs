using System.Text;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;
using Buttonhook.Core.Simulating;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Keeping;

public class FirstLoginTests
{
    private static readonly LoginWish Wish = new("keeper", null, "bramley", Sizes.CardBytes(32), false, Runs.At);

    private static IReadOnlyList<LoginTask> Of(string text, LoginWish? wish = null, params string[] told)
    {
        var log = new ConsoleLog();
        log.Append(Encoding.UTF8.GetBytes(text), 0);
        return FirstLogin.Of(wish ?? Wish, Knowledge.Commands, log, 1, told.ToHashSet());
    }

    private static LoginTask Task(string text, string id, LoginWish? wish = null) => Of(text, wish).Single(t => t.Id == id);

    [Theory]
    [InlineData("password-keeper", "passwd: password updated successfully", "passwd: Authentication token manipulation error")]
    [InlineData("root", "root is locked", "root has a password")]
    [InlineData("lock-keeper", "keeper is locked", "keeper has no password")]
    [InlineData("second", "tools: user=medlar sudo useradd admin end", "tools: user=medlar useradd end")]
    [InlineData("root-remote", "permitrootlogin no", "permitrootlogin without-password")]
    [InlineData("host", "127.0.1.1 bramley", "sudo: unable to resolve host bramley: Name or service not known")]
    [InlineData("address", "eth0             UP             192.0.2.7/24", "eth0             UP             169.254.3.9/16")]
    [InlineData("grown", "/dev/mmcblk0p2   29,1G  1,9G   26G   7% /", "/dev/mmcblk0p2  3.6G  1.9G  1.6G  55% /")]
    [InlineData("clock", "2026-03-14T06:41", "1970-01-01T00:03")]
    [InlineData("updates", "12 upgraded, 0 newly installed, 0 to remove and 0 not upgraded.", "E: Unable to locate package x")]
    [InlineData("user", "uid=1001(medlar) gid=1001(medlar)", "useradd: user 'medlar' already exists")]
    public void A_task_is_ticked_by_the_line_that_shows_it_and_not_by_what_was_typed(string id, string proof, string failed)
    {
        var first = id.StartsWith("password", StringComparison.Ordinal) ? "Retype new password:" : "login:";
        Assert.Equal(LoginTaskState.Open, Task($"{first}\nnothing\n", id).State);
        Assert.Equal((LoginTaskState.Proven, 2), (Task($"{first}\n{proof}\n", id).State, Task($"{first}\n{proof}\n", id).Line!.Value));
        var not = Task($"{first}\n{failed}\n", id);
        Assert.Equal(LoginTaskState.Failed, not.State);
        Assert.NotEmpty(not.Tells!);
        // The last line counts, whichever it is.
        Assert.Equal(LoginTaskState.Proven, Task($"{first}\n{failed}\n{proof}\n", id).State);
        Assert.Equal(LoginTaskState.Failed, Task($"{first}\n{proof}\n{failed}\n", id).State);
    }

    [Fact]
    public void Every_account_that_the_image_ships_gets_a_password_of_its_own_told_by_whose_was_asked()
    {
        var wish = Wish with { Shipped = ["root", "keeper", "guest"] };
        const string Changed = "Retype new password:\npasswd: password updated successfully\n";
        Assert.Equal(["password-keeper", "password-guest"], Of("login:\n", wish).Select(t => t.Id).Where(i => i.StartsWith("password")));
        var both = (string text) => (Task(text, "password-keeper", wish).State, Task(text, "password-guest", wish).State);
        // The first login asks by itself.
        Assert.Equal((LoginTaskState.Proven, LoginTaskState.Open), both("login: keeper\n" + Changed));
        Assert.Equal(
            (LoginTaskState.Open, LoginTaskState.Proven),
            both("login:\nkeeper@bramley:~$ sudo sh -c 'LC_ALL=C passwd guest'\n" + Changed)
        );
        Assert.Equal((LoginTaskState.Proven, LoginTaskState.Open), both("login:\nkeeper@bramley:~$ LC_ALL=C passwd\n" + Changed));
    }

    [Theory]
    [InlineData("screen", "1920x1080", "no screen is seen here")]
    [InlineData("updates", "the package tool ended with 0", "the package tool ended with 100")]
    public void Screen_and_package_tools_are_told_by_their_own_lines(string id, string proof, string failed)
    {
        var wish = Wish with { Screen = true };
        Assert.Equal(LoginTaskState.Proven, Task($"login:\n{proof}\n", id, wish).State);
        Assert.Equal(LoginTaskState.Failed, Task($"login:\n{failed}\n", id, wish).State);
    }

    [Fact]
    public void A_password_that_was_locked_is_none_that_was_chosen() =>
        Assert.Equal(
            LoginTaskState.Open,
            Task("login:\nkeeper@bramley:~$ sudo passwd -l root; sudo passwd -S root\npasswd: password changed.\n", "password-keeper").State
        );

    [Fact]
    public void A_command_that_was_typed_ticks_nothing_by_itself()
    {
        var typed = string.Concat(Of("login:\n").Where(t => t.Command is not null).Select(t => $"keeper@bramley:~$ {t.Command}\n"));
        Assert.All(Of(typed), t => Assert.Equal(LoginTaskState.Open, t.State));
    }

    [Fact]
    public void The_board_says_another_name_than_was_wanted()
    {
        Assert.Equal("You want bramley, the board says fallow.", Task("fallow login:\n", "host").Tells);
        Assert.Contains("second file", Task("keeper@bramley:~$ \n", "host").Tells);
        Assert.Equal("You want bramley, the board says fallow.", Task("127.0.1.1\tfallow\n", "host").Tells);
        var set = Wish with { Set = FirstBoot.Usual with { Address = new("eth0", "192.0.2.10/24", null, []) } };
        Assert.Equal("You set 192.0.2.10/24, the board says 192.0.2.7.", Task("eth0 UP 192.0.2.7/24\n", "address", set).Tells);
    }

    [Fact]
    public void What_was_set_before_the_first_boot_is_not_asked_again()
    {
        var set = Wish with { Set = FirstBoot.Usual with { User = "keeper", Wireless = new("Hedge", "", "NL") }, Screen = true };
        var ids = Of("login:\n", set).Select(t => t.Id).ToList();
        Assert.DoesNotContain("password-keeper", ids);
        Assert.DoesNotContain("user", ids);
        Assert.Contains("screen", ids);
        Assert.Equal("sudo sh -c 'iw reg set NL; iw reg get | head -n 4'", Of("", set).Single(t => t.Id == "country").Command);
        // Root needs no sudo.
        Assert.All(Of("", Wish with { DefaultUser = "root" }), t => Assert.DoesNotContain("sudo sh", t.Command ?? ""));
    }

    [Fact]
    public void What_a_person_says_counts_until_the_console_tells_better()
    {
        Assert.Equal(LoginTaskState.Told, Of("login:\n", null, "root").Single(t => t.Id == "root").State);
        Assert.Equal(LoginTaskState.Failed, Of("root has a password\n", null, "root").Single(t => t.Id == "root").State);
    }

    [Fact]
    public void A_simulated_board_takes_every_command()
    {
        var plan = Bench.Plan("quill-v") with { Now = Runs.At };
        var board = new SimulatedBoard(plan);
        var log = new ConsoleLog();
        var at = 400_000;
        void Take()
        {
            foreach (var piece in board.Advance(at))
                log.Append(piece.Bytes, piece.Milliseconds);
        }
        void Type(string text)
        {
            board.Type(Encoding.UTF8.GetBytes(text + "\r"), at);
            at += 5000;
            Take();
        }
        Take();
        var login = Enumerable.Range(1, log.LineCount).Last(n => log.Text(n).Contains("login:"));
        Type(plan.Image!.DefaultUser);
        Type("secret");
        var wish = new LoginWish(plan.Image.DefaultUser, null, "medlar", Sizes.CardBytes(32), false, Runs.At);
        IReadOnlyList<LoginTask> Tasks() => FirstLogin.Of(wish, Knowledge.Commands, log, login, new HashSet<string>());
        void Send(string id)
        {
            var task = Tasks().Single(t => t.Id == id);
            Assert.Null(task.Needs);
            Type(task.Command!.Replace("{name}", "medlar", StringComparison.Ordinal));
            if (log.Text(log.LineCount).EndsWith("password: ", StringComparison.Ordinal))
            {
                Type("new");
                Type("new");
            }
        }
        Assert.NotNull(Tasks().Single(t => t.Id == "root").Needs);
        Send("tools");
        Send($"password-{plan.Image.DefaultUser}");
        Send("user");
        // Nobody is locked out: what is locked waits for another user who was seen to become root.
        Assert.NotNull(Tasks().Single(t => t.Id == $"lock-{plan.Image.DefaultUser}").Needs);
        Type("exit");
        Type("medlar");
        Type("new");
        Send("second");
        foreach (var id in Tasks().Where(t => t.State != LoginTaskState.Proven).Select(t => t.Id).ToList())
            Send(id);
        Assert.Equal([], Tasks().Where(t => t.State != LoginTaskState.Proven && t.Id != "tools").Select(t => t.Id));
    }

    [Fact]
    public void An_image_whose_only_user_is_root_never_locks_the_only_way_in()
    {
        var wish = Wish with { DefaultUser = "root" };
        LoginTask At(string text, string id) => Task(text, id, wish);
        const string Root = "login: root\ntools: user=root useradd adduser sshd systemctl apt-get end\n";
        foreach (var id in new[] { "root", "root-remote" })
        {
            Assert.Contains("Ask first", At("login: root\n", id).Needs);
            Assert.Contains("root's own", At(Root, id).Needs);
            // A user who was made is none who got in, and one who got in without sudo is no second door.
            Assert.NotNull(At(Root + "uid=1000(medlar) gid=1000\n", id).Needs);
            Assert.NotNull(At(Root + "medlar login: medlar\ntools: user=medlar useradd sshd end\n", id).Needs);
            Assert.Null(At(Root + "tools: user=medlar sudo useradd sshd admin end\n", id).Needs);
            // Back in root's own session it waits again.
            Assert.NotNull(At(Root + "tools: user=medlar sudo useradd admin end\n" + Root, id).Needs);
        }
        Assert.Contains("no sudo", At(Root, "user").Caution);
    }

    [Fact]
    public void The_tools_that_a_system_has_choose_its_commands()
    {
        const string Busybox = "login: root\ntools: user=root adduser end\n";
        var wish = Wish with { DefaultUser = "root" };
        Assert.Contains("adduser -s /bin/sh {name}", Task(Busybox, "user", wish).Command);
        Assert.Contains("useradd -m", Task("login: root\ntools: user=root useradd adduser end\n", "user", wish).Command);
        Assert.Contains("no tool for it", Task("login: root\ntools: user=root end\n", "user", wish).Needs);
        Assert.Contains("may not become root", Task("login:\ntools: user=keeper useradd end\n", "host").Needs);
        // Busybox's hash and its lock are told by the same line as everybody's.
        Assert.Equal(LoginTaskState.Proven, Task(Busybox + "root is locked\n", "root", wish).State);
        Assert.Equal(LoginTaskState.Open, Task(Busybox + "root:!$1$abc\n", "root", wish).State);
    }

    [Fact]
    public async Task A_tool_that_is_only_a_name_of_busybox_is_none()
    {
        var folder = Directory.CreateTempSubdirectory("buttonhook-tools").FullName;
        try
        {
            foreach (var (tool, says) in new[] { ("adduser", "adduser: applet not found"), ("useradd", "Usage: useradd [options] LOGIN") })
            {
                await File.WriteAllTextAsync(Path.Combine(folder, tool), $"#!/bin/sh\necho '{says}' >&2\nexit 1\n");
                File.SetUnixFileMode(Path.Combine(folder, tool), UnixFileMode.UserRead | UnixFileMode.UserExecute);
            }
            var text = Knowledge.Commands.Of("tools", null)!.Text;
            using var run = System.Diagnostics.Process.Start(
                new System.Diagnostics.ProcessStartInfo("/bin/sh", ["-c", text.Replace(":/usr/sbin:/sbin", "", StringComparison.Ordinal)])
                {
                    RedirectStandardOutput = true,
                    Environment = { ["PATH"] = $"{folder}:/usr/bin:/bin" },
                }
            )!;
            var said = await run.StandardOutput.ReadToEndAsync();
            Assert.Contains(" useradd", said);
            Assert.DoesNotContain(" adduser", said);
            Assert.EndsWith(" end\n", said);
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    [Theory]
    [InlineData("Row 1", "row-1")]
    [InlineData("Ömer's board!", "mer-s-board")]
    [InlineData("---", "board")]
    public void A_nickname_becomes_a_host_name(string nickname, string host) => Assert.Equal(host, FirstBootCheck.HostNameOf(nickname));

    [Property]
    public bool No_console_throws(string? text) => Of(text ?? "").Count > 5;
}
