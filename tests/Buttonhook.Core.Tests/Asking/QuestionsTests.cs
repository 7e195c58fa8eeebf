using Buttonhook.Core.Asking;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Asking;

public class QuestionsTests
{
    private static readonly string Schema = File.ReadAllText(Path.Combine(Knowledge.Root, "docs/formats/questions.schema.json"));

    public static TheoryData<string, int> Ways()
    {
        var data = new TheoryData<string, int>();
        foreach (var question in Knowledge.Questions)
            for (var n = 0; n < (question.Ways?.Count ?? 0); n++)
                data.Add(question.Id, n);
        return data;
    }

    [Theory]
    [MemberData(nameof(Ways))]
    public void The_example_of_each_way_is_read_as_it_says(string id, int n)
    {
        var way = Knowledge.Questions.Single(q => q.Id == id).Ways![n];
        var read = AnswerText.Read(way, AnswerText.Lines(way.Example, way.Log), way.With ?? new Dictionary<string, string>());
        Assert.Equal(way.Means, read?.Result);
    }

    [Fact]
    public void Every_cause_has_a_question_whose_answers_find_and_clear_it()
    {
        foreach (var cause in Knowledge.Rules.Book.Causes)
        {
            var question = Knowledge.Rules.Book.Question(cause.Check!.QuestionId!)!;
            Assert.NotNull(question.Minutes);
            Assert.Contains(question.Results, r => question.Factor(r, cause.Id) > 1);
            if (cause.Id is not ("kernel-oops" or "init-crashed" or "passphrase-wanted"))
                Assert.Contains(question.Results, r => question.Factor(r, cause.Id) < 1);
        }
    }

    [Fact]
    public void Nothing_that_a_person_reads_is_an_order_with_yes_and_no()
    {
        Assert.All(Knowledge.Questions, q => Assert.EndsWith("?", q.Asks));
        Assert.DoesNotContain(
            Knowledge.Questions.SelectMany(q => q.Results),
            r => r.Says.Contains("it was so", StringComparison.OrdinalIgnoreCase)
        );
    }

    [Theory]
    [InlineData("dd if=/dev/zero of=/dev/mmcblk0")]
    [InlineData("cat /etc/shadow")]
    [InlineData("cat /proc/cmdline > /dev/sda")]
    [InlineData("blkid; reboot")]
    [InlineData("blkid && reboot")]
    [InlineData("blkid | sh")]
    [InlineData("ls $(reboot)")]
    [InlineData("ls `reboot`")]
    [InlineData("dmesg -C")]
    [InlineData("mount -o remount,rw /")]
    [InlineData("e2fsck -y /dev/sda1")]
    [InlineData("e2fsck /dev/sda1")]
    [InlineData("date -s 12:00")]
    [InlineData("hostname other")]
    [InlineData("ip link set eth0 down")]
    [InlineData("iw reg set AT")]
    [InlineData("systemctl restart ssh.service")]
    [InlineData("journalctl --vacuum-size=1 -b -u a.service -n 8 --no-pager -o cat")]
    [InlineData("cat /proc/cmdline\nreboot")]
    public void What_is_not_known_to_read_is_refused_at_a_shell(string command)
    {
        foreach (var at in new[] { ListenerKind.InitialShell, ListenerKind.RescueShell, ListenerKind.UserShell })
            Assert.False(SafeCommand.Reads(command, at));
    }

    [Theory]
    [InlineData("saveenv", ListenerKind.LoaderShell)]
    [InlineData("setenv bootargs x", ListenerKind.LoaderShell)]
    [InlineData("env default -a", ListenerKind.LoaderShell)]
    [InlineData("mmc erase 0 100", ListenerKind.LoaderShell)]
    [InlineData("mmc write 0x80000000 0 1", ListenerKind.LoaderShell)]
    [InlineData("printenv; reset", ListenerKind.LoaderShell)]
    [InlineData("boot", ListenerKind.LoaderShell)]
    [InlineData("reboot", ListenerKind.LoaderCommandLine)]
    [InlineData("set root=(hd0)", ListenerKind.LoaderCommandLine)]
    [InlineData("save_env x", ListenerKind.LoaderCommandLine)]
    [InlineData("rm fs0:\\x", ListenerKind.FirmwareShell)]
    [InlineData("reset", ListenerKind.FirmwareShell)]
    [InlineData("blkid", ListenerKind.Login)]
    [InlineData("blkid", ListenerKind.Secret)]
    [InlineData("blkid", ListenerKind.Editor)]
    [InlineData("blkid", ListenerKind.Pager)]
    [InlineData("blkid", ListenerKind.Installer)]
    [InlineData("blkid", ListenerKind.Maintenance)]
    [InlineData("blkid", ListenerKind.Unknown)]
    [InlineData("blkid", ListenerKind.Nobody)]
    public void What_is_not_known_to_read_is_refused_elsewhere(string command, ListenerKind at) =>
        Assert.False(SafeCommand.Reads(command, at));

    /// <summary>Whatever a board printed: a command that comes out has the words, separators and quotes of its template, and reads.</summary>
    [Property(MaxTest = 400)]
    public bool No_text_of_a_board_adds_anything_to_a_command(NonNull<string> hostile, int pick, int place)
    {
        var ways = Knowledge.Questions.SelectMany(q => q.Ways ?? []).Where(w => SafeCommand.PlacesOf(w.Type).Any()).ToList();
        var way = ways[Math.Abs(pick % ways.Count)];
        string[] tails =
        [
            "",
            ";reboot",
            " x",
            "\"",
            "'",
            "$(x)",
            "`x`",
            "|sh",
            "\nreboot",
            "\r",
            ">/dev/sda",
            "&",
            "/../../etc/shadow",
            "\\x",
        ];
        var facts = new Dictionary<string, string>
        {
            ["medium"] = "mmc",
            ["number"] = "0",
            ["partition"] = "1",
            ["folder"] = "/boot",
            ["init"] = "/sbin/init",
            ["newroot"] = "/root",
            ["rootdevice"] = "/dev/sda1",
            ["devicefile"] = "/dev/sdb1",
            ["rootdisk"] = "sda",
            ["place"] = "(hd0,msdos1)",
            ["unit"] = "a.service",
        };
        foreach (var name in SafeCommand.PlacesOf(way.Type))
            facts[name] = place % 2 == 0 ? hostile.Get : facts[name] + tails[Math.Abs(place % tails.Length)];
        foreach (var at in way.At)
            if (SafeCommand.Fill(way.Type, facts, at) is { } command)
            {
                int Of(string text, Func<char, bool> kind) => text.Count(kind);
                if (
                    Of(command, c => c is ' ' or '\t') != Of(way.Type, c => c is ' ' or '\t')
                    || Of(command, c => ";|&<>\"'`$\\\r\n".Contains(c)) != Of(way.Type, c => ";|&<>\"'`$\\\r\n".Contains(c))
                    || command.Contains("..", StringComparison.Ordinal)
                    || !SafeCommand.Reads(command, at)
                )
                    return false;
            }
        return true;
    }

    [Theory]
    [InlineData("type: blkid", "type: mkfs.ext4 /dev/sda1", "known to read")]
    [InlineData("result: there", "result: nowhere", "nowhere is none")]
    [InlineData("find: x", "find: '(x'", "expression")]
    [InlineData("id: b, says", "id: a, says", "different names")]
    public void A_question_that_is_wrong_is_told_with_its_name(string good, string bad, string says)
    {
        const string yaml = """
            questions:
              - id: q
                asks: What is there?
                minutes: 1
                results: [{ id: there, says: It is }, { id: b, says: Bbb }, { id: a, says: Aaa }]
                ways:
                  - { at: [user-shell], type: blkid, reads: [{ result: there, find: x }], example: x, means: there }
            """;
        Assert.Null(QuestionBook.Read([("q.yaml", yaml)], Schema).Problem);
        var problem = QuestionBook.Read([("q.yaml", yaml.Replace(good, bad))], Schema).Problem!;
        Assert.Contains(says, problem.ToString());
        Assert.Matches(@"\bq\b", problem.Expected);
    }

    [Fact]
    public void A_question_that_moves_a_cause_that_is_not_there_is_told()
    {
        var strange = new Question("q", "What?", [new("a", "A", Finds: ["hail"]), new("b", "B")], Minutes: 1);
        var files = Directory
            .GetFiles(Path.Combine(Knowledge.Data, "knowledge/rulebook"))
            .Select(f => (Path.GetFileName(f), File.ReadAllText(f)));
        var schema = File.ReadAllText(Path.Combine(Knowledge.Root, "docs/formats/rulebook.schema.json"));
        Assert.Contains("hail", RuleBook.Read(files, schema, true, [.. Knowledge.Questions, strange]).Problem!.ToString());
        // Without its question a cause cannot be looked for.
        var without = Knowledge.Questions.Where(q => q.Id != "space").ToList();
        Assert.Contains("disk-full", RuleBook.Read(files, schema, true, without).Problem!.ToString());
    }
}
