using System.Text;
using Buttonhook.Core.Consoles;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Consoles;

/// <summary>What is typed is kept only when it was seen to come back, whatever a question for a secret looks like.</summary>
public sealed class EchoWatchTests
{
    private readonly EchoWatch watch = new();
    private readonly List<EchoWatch.Known> known = [];
    private int now;
    private long arrived;

    private void Board(string text)
    {
        var bytes = Encoding.UTF8.GetBytes(text);
        arrived += bytes.Length;
        known.AddRange(watch.Receive(bytes, now += 5));
    }

    private void Type(string text, string prompt) => watch.Type(Encoding.UTF8.GetBytes(text), now += 5, arrived, prompt, false);

    /// <summary>Key by key, as a terminal sends it; the board answers each with what the function gives.</summary>
    private void Keys(string text, string prompt, Func<char, string> echo)
    {
        foreach (var key in text)
        {
            Type(key.ToString(), prompt);
            if (echo(key) is { Length: > 0 } back)
                Board(back);
        }
    }

    private string Journal()
    {
        known.AddRange(watch.Settled(now += 5000));
        return string.Concat(
            known.Select(k => k.Event).OfType<JournalEvent>().Select(e => e.Kind == EventKind.Secret ? "[secret]" : e.Text)
        );
    }

    private const string Secret = "Codling-7";

    [Fact]
    public void A_command_that_comes_back_is_kept_key_by_key_and_in_one_go()
    {
        Keys("ls\r", "root@orchard:~# ", k => k == '\r' ? "\r\n" : k.ToString());
        Board("boot  etc\r\nroot@orchard:~# ");
        Type("df -h\r", "root@orchard:~# ");
        Board("df -h\r\n");
        Assert.Equal("ls‹CR›df -h‹CR›", Journal());
    }

    [Fact]
    public void A_shell_that_colours_what_is_typed_and_a_kernel_line_in_between_do_not_hide_a_command()
    {
        Keys("ls", "~> ", k => $"\u001b[32m{k}\u001b[0m\u001b[K");
        Board("\r\n");
        known.AddRange(watch.Settled(now += 5000));
        Type("uname\r", "orchard:~$ ");
        Board("\r\n[   41.2] usb 1-1: new device\r\norchard:~$ uname\r\n");
        Assert.Equal("lsuname‹CR›", Journal());
    }

    /// <summary>Every question for a secret that was met: known words, other languages, none at all.</summary>
    public static TheoryData<string, string> Questions =>
        new()
        {
            { "Password: ", "" },
            { "Passwort: ", "" },
            { "[sudo] Passwort für keeper: ", "" },
            { "Mot de passe : ", "" },
            { "Пароль: ", "" },
            { "[sudo] password for keeper: ", "*" },
            { "Please enter passphrase for disk card (press TAB for no echo) ", "" },
            { "Password>", "" },
            { "Enter PSK", "" },
            { "Enter the key of the network:\r\n", "" },
            { "\u001b[12;20H│Password: ______│\u001b[12;31H", "\u2022" },
            { "", "" },
        };

    [Theory]
    [MemberData(nameof(Questions))]
    public void A_secret_is_kept_at_no_question_for_one(string question, string back)
    {
        foreach (var byKey in new[] { true, false })
        {
            Board("orchard login: keeper\r\n" + question);
            if (byKey)
                Keys(Secret, question, _ => back);
            else
            {
                Type(Secret, question);
                Board(string.Concat(Enumerable.Repeat(back, Secret.Length)));
            }
            Type("\r", question);
            Board("\r\n");
            Board("Last login: Sat Mar 14\r\nCommand-7$ ");
            Assert.DoesNotContain(known.Concat(watch.Settled(now += 5000)), k => k.Kept && k.Bytes.Any(b => b >= 0x20));
            known.Clear();
        }
    }

    [Fact]
    public void A_secret_behind_a_name_in_one_go_and_one_whose_first_letters_come_by_chance_are_not_kept()
    {
        Type("keeper\rPass1\r", "orchard login: ");
        Board("keeper\r\nPassword: ");
        Board("\r\nLogin incorrect\r\n");
        Assert.Equal("[secret]", Journal());
        known.Clear();
        Keys("Lake\r", "Password: ", _ => "");
        Board("Lage der Dinge\r\n");
        Assert.Equal("[secret]", Journal());
    }

    [Fact]
    public void A_kernel_line_that_comes_while_a_secret_is_typed_gives_none_of_it_away()
    {
        Keys("usbx", "Password: ", k => k == 'u' ? "[   41.2] " : "");
        Type("\r", "Password: ");
        Board("usb 1-1: new device\r\n");
        Assert.Equal("[secret]", Journal());
    }

    [Fact]
    public void Keys_without_letters_are_kept_and_the_end_of_a_capture_keeps_nothing_that_did_not_come_back()
    {
        Type("\r", "");
        Type("\u001b[A\u0003", "");
        Type("gone", "Password: ");
        known.AddRange(watch.End());
        Assert.Equal(["‹CR›"], known.Where(k => k.Kept).Select(k => k.Event!.Text));
        Assert.Equal([EventKind.Secret], known.Where(k => !k.Kept).Select(k => k.Event).OfType<JournalEvent>().Select(e => e.Kind));
    }

    [Fact]
    public void What_the_port_did_not_take_is_nothing()
    {
        Type("abc", "# ");
        watch.Withdraw();
        Assert.False(watch.Waits);
        Assert.Equal("", Journal());
    }

    /// <summary>A board that never echoes, whatever it prints on lines of its own, gives no letter of any secret away.</summary>
    [Property]
    public bool Nothing_that_was_typed_silently_is_ever_kept(string secret, int seed)
    {
        if (string.IsNullOrEmpty(secret) || secret.All(c => c < 0x20 || c == 0x7F))
            return true;
        var random = new Random(seed);
        var quiet = new EchoWatch();
        var all = new List<EchoWatch.Known>();
        var at = 0;
        foreach (var rune in secret.EnumerateRunes())
        {
            quiet.Type(Encoding.UTF8.GetBytes(rune.ToString()), at += 40, 0, "? ", false);
            if (random.Next(4) == 0)
                all.AddRange(quiet.Receive(Encoding.UTF8.GetBytes($"\r\n[{at}] frost alarm\r\n"), at));
        }
        all.AddRange(quiet.End());
        return all.TrueForAll(k => !k.Kept || k.Bytes.All(b => b is < 0x20 or 0x7F or 0x1B));
    }
}
