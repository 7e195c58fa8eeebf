using Buttonhook.Core.Consoles;
using Buttonhook.Core.Keeping;
using Buttonhook.Lab;

namespace Buttonhook.Core.Tests.Diagnosing;

/// <summary>The logs of the lab, judged only by weights that were fitted without the system that they come from.</summary>
public class LabTests(ITestOutputHelper output)
{
    private static readonly List<LabLog> Logs = LabLog.Read(Path.Combine(Knowledge.Root, "lab/boots/boots.tar.br"));

    [Fact]
    [Trait("Length", "long")]
    public void Systems_that_were_left_out_are_read_right_and_no_good_boot_is_accused()
    {
        var index = Judging.Book(Knowledge.Root);
        var seen = Fitting.See(Captures.With(Logs), Logs, index);
        var (book, fitted) = Fitting.LeaveOneOut(seen, seen, index, index.Weights);
        output.WriteLine($"{Logs.Count} boots of {Logs.Select(l => l.System).Distinct().Count()} systems, {seen.Count} logs");
        output.WriteLine(Fitting.Table.Head);
        output.WriteLine(book.Row("of the book"));
        output.WriteLine(fitted.Row("fitted, system left out"));
        output.WriteLine(fitted.Calibration());
        foreach (var wrong in fitted.Wrong)
            output.WriteLine(wrong);
        Assert.Equal(0, fitted.Accused);
        Assert.InRange((double)fitted.First / fitted.Logs, 0.95, 1);
        Assert.InRange((double)fitted.Proven / fitted.Faults, 0.9, 1);
        Assert.InRange(fitted.Brier, 0, book.Brier);
    }

    [Fact]
    public void At_least_a_quarter_of_the_boots_are_good_and_every_fault_has_a_line_or_says_that_it_has_none()
    {
        Assert.InRange(Logs.Count(l => l.Cause == "none"), Logs.Count / 4.5, Logs.Count);
        Assert.All(Logs, l => Assert.All(l.KeyLines, k => Assert.InRange(k, 1, l.Log.Count(b => b == '\n') + 1)));
        Assert.All(Logs.Where(l => l.Cause != "none"), l => Assert.Contains(l.Cause, l.Accept));
    }

    [Fact]
    public void Captures_as_people_make_them_are_the_same_each_time_and_keep_their_key_lines()
    {
        var once = Captures.With(Logs.Take(40).ToList()).ToList();
        var again = Captures.With(Logs.Take(40).ToList()).ToList();
        Assert.Equal(
            once.Select(l => (l.Name, Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(l.Log)))),
            again.Select(l => (l.Name, Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(l.Log))))
        );
        foreach (
            var log in once.Where(l => l.Name.Contains('+') && l.KeyLines.Count > 0 && !l.Name.EndsWith("+lost", StringComparison.Ordinal))
        )
        {
            var whole = Logs.Single(l => l.Name == log.Name[..log.Name.IndexOf('+')]);
            var (mine, original) = (Lines(log), Lines(whole));
            var first = original[whole.KeyLines[0] - 1].Trim('\r');
            if (log.KeyLines.Count == whole.KeyLines.Count)
                Assert.Contains(first[..Math.Min(60, first.Length)], mine[log.KeyLines[0] - 1]);
        }
        static string[] Lines(LabLog log) => System.Text.Encoding.Latin1.GetString(log.Log).Split('\n');
    }

    [Theory]
    [InlineData("d12-amd64-virtio")]
    [InlineData("d12-amd64-sysv")]
    public void The_commands_of_a_first_login_did_on_real_systems_what_their_lines_prove(string system)
    {
        var boot = Logs.Single(l => l.Name == $"{system}.good-first-login");
        var log = new ConsoleLog();
        log.Append(boot.Log, 0);
        var login = Enumerable.Range(1, log.LineCount).First(n => log.Text(n).Contains(" login:"));
        var wish = new LoginWish("root", null, "sentinel", null, false, DateTimeOffset.UtcNow);
        var tasks = FirstLogin.Of(wish, Knowledge.Commands, log, login, new HashSet<string>()).ToDictionary(t => t.Id);
        foreach (var id in (string[])["root", "root-remote", "host"])
            Assert.Equal((id, LoginTaskState.Proven), (id, tasks[id].State));
        // How large the card is nobody said; that the clock is another day than today's is right of an old log.
        Assert.Contains("how large the card is, is not known", tasks["grown"].Tells);
        Assert.Contains("It says 2026-11-27T02:", tasks["clock"].Tells);
        Assert.Equal(LoginTaskState.Open, tasks["password-root"].State);
    }
}
