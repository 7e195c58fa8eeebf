using Buttonhook.Core.Images.Loaders;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Images;

/// <summary>The shell that loaders share: what is run, in which order.</summary>
public class ShellScriptTests
{
    /// <summary>Runs a script whose commands are "say WORD" (heard), "yes" and "no" (results), "set NAME VALUE".</summary>
    private static string Heard(string text, bool braces = false)
    {
        var heard = new List<string>();
        var variables = new Dictionary<string, string>();
        string[] Words(string line) => ShellWords.Of(line, variables.GetValueOrDefault);
        ShellPlayer? player = null;
        player = new(
            command =>
            {
                var words = Words(command.Text);
                switch (words)
                {
                    case ["say", ..]:
                        heard.Add(string.Join(' ', words[1..]));
                        break;
                    case ["set", var name, ..]:
                        variables[name] = string.Join(' ', words[2..]);
                        break;
                    case ["end"]:
                        player!.End();
                        break;
                }
                return words is not ["no", ..];
            },
            block => player!.Play(block.Body),
            () => false
        )
        {
            Set = (name, value) => variables[name] = value,
            Words = Words,
        };
        player.Play(ShellScript.Read(text, braces).Parts);
        return string.Join(',', heard);
    }

    [Theory]
    [InlineData("say a; say b\nsay c", "a,b,c")]
    [InlineData("# don't; say never\nsay a # say b\nsay c#d", "a,c#d")]
    [InlineData("say 'a; b' \"c\n d\"", "a; b c\n d")]
    [InlineData("say a\\; b\nsay c \\\n d", "a; b,c d")]
    [InlineData("yes && say a || say b", "a")]
    [InlineData("no && say a || say b", "b")]
    [InlineData("yes || say a && say b", "b")]
    [InlineData("if yes; then say a; else say b; fi", "a")]
    [InlineData("if no; then say a; else say b; fi", "b")]
    [InlineData("if no\nthen\n say a\nelif yes\nthen say b\nelse say c\nfi\nsay d", "b,d")]
    [InlineData("if no; then say a; else if no; then say b; else say c; fi; fi", "c")]
    [InlineData("if no || yes && yes; then say a; fi", "a")]
    [InlineData("if no; then if yes; then say a; fi; say b; fi; say c", "c")]
    [InlineData("for i in a 'b c' d; do say $i; done", "a,b c,d")]
    [InlineData("set l 1 2; for i in ${l}; do for j in x y; do say $i$j; done; done", "1x,1y,2x,2y")]
    [InlineData("for i in; do say $i; done; say z", "z")]
    [InlineData("while no; do say a; done; until yes; do say b; done; say c", "c")]
    [InlineData("say a; end; say b", "a")]
    [InlineData("for i in a b; do end; say $i; done; say c", "")]
    [InlineData("fi; say a; done; then say b", "a")]
    public void Commands_run_as_the_shell_runs_them(string text, string heard) => Assert.Equal(heard, Heard(text));

    [Theory]
    [InlineData("entry 'x' { say a; say b }\nsay c", "a,b,c")]
    [InlineData("entry x {\n if no; then say a; fi\n inner { say b }\n}", "b")]
    [InlineData("set v 1; say ${v}{ say x }", "x")]
    public void Braces_hold_blocks_where_they_are_known(string text, string heard) => Assert.Equal(heard, Heard(text, braces: true));

    [Fact]
    public void Where_they_are_not_known_they_are_letters() => Assert.Equal("{ a }", Heard("say { a }"));

    [Theory]
    [InlineData("say a\nif yes; then\nsay b", "if yes", 2)]
    [InlineData("for i in a b; say $i", "for i in a b", 1)]
    [InlineData("say a\n\nwhile yes; do say a", "while yes", 3)]
    public void What_is_never_closed_is_named_and_left_out(string text, string head, int line)
    {
        Assert.Equal((head, line), ShellScript.Read(text, braces: false).Unclosed);
        Assert.DoesNotContain("b", Heard(text));
    }

    [Fact]
    public void A_loop_without_an_end_and_a_depth_without_a_floor_are_bounded()
    {
        Assert.StartsWith("a,a,a", Heard("while yes; do say a; done"));
        Assert.NotNull(ShellScript.Read(string.Concat(Enumerable.Repeat("if yes; then ", 100_000)), braces: false).Parts);
        Assert.NotNull(ShellScript.Read(string.Concat(Enumerable.Repeat("a { ", 100_000)), braces: true).Parts);
    }

    private static readonly Gen<string> Noise = Gen.Elements(
            "if ",
            "then ",
            "else ",
            "elif ",
            "fi",
            "for a in ",
            "do ",
            "done",
            "while ",
            "{",
            "}",
            "'",
            "\"",
            "\\",
            "#",
            ";",
            "\n",
            "&&",
            "||",
            "${",
            "$a",
            "yes ",
            "no ",
            "say x "
        )
        .ListOf()
        .Select(string.Concat);

    [Property(MaxTest = 500)]
    public Property Any_text_is_read_and_played_to_an_end() =>
        Prop.ForAll(Noise.ToArbitrary(), text => Heard(text) is not null && Heard(text, braces: true) is not null);

    [Theory]
    [InlineData("a = a", true)]
    [InlineData("a != a", false)]
    [InlineData("! a = b", true)]
    [InlineData("-n a", true)]
    [InlineData("-n", false)]
    [InlineData("-z", false)]
    [InlineData("", false)]
    [InlineData("a", true)]
    [InlineData("a = a -a b = c", false)]
    [InlineData("a = a -o b = c", true)]
    [InlineData("a = b -o b = b -a c = d", false)]
    [InlineData("-a = -a", true)]
    [InlineData("10 -gt 9", true)]
    [InlineData("10 > 9", false)]
    [InlineData("3 -le 2", false)]
    [InlineData("-e there", true)]
    [InlineData("-f gone", false)]
    [InlineData("-s there -a ! -e gone", true)]
    public void Tests_are_judged(string words, bool result) =>
        Assert.Equal(result, ShellTest.Of(words.Split(' ', StringSplitOptions.RemoveEmptyEntries), (_, named) => named[0] == "there"));
}
