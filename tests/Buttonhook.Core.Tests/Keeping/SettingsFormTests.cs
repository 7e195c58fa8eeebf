using System.Text.Json;
using Buttonhook.Core.Keeping;
using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Keeping;

/// <summary>Every form that settings leave in and come back from.</summary>
public class SettingsFormTests
{
    private static readonly string Schema = File.ReadAllText(Path.Combine(Knowledge.Root, "docs/formats/working-settings.schema.json"));

    private static string Json(WorkingSettings settings) => JsonSerializer.Serialize(settings, DataFile.Json);

    /// <summary>Text as one can type it: halves of letters cannot be typed.</summary>
    private static string Typed(string? text) => new([.. (text ?? "").Where(c => !char.IsSurrogate(c) && c != '\0').Take(200)]);

    private static WorkingSettings Made(string? name, string?[] values, string? notes) =>
        new(
            WorkingSettings.FormatName,
            Typed(name) is { Length: > 0 } typed ? typed[..Math.Min(60, typed.Length)] : "Quince",
            [
                .. values
                    .Take(40)
                    .Select((v, n) => new Setting($"more.quirk:{n + 1}", "Quirk", v is null ? null : Typed(v), Standing.Claimed, "x")),
            ],
            [new("/a", Typed(notes))],
            null,
            Typed(notes),
            Runs.Sum,
            Runs.At
        );

    [Fact]
    public void Json_matches_its_schema_and_comes_back_equal()
    {
        var settings = Runs.Settings() with { Notes = "Northern <hedge>" };
        var read = SettingsReader.Read(Json(settings), Schema);
        Assert.Equal(Json(settings), Json(read.Value!));
        Assert.Contains("\"format\":\"buttonhook.working-settings/2\"", Json(settings));
        Assert.Equal(Json(settings), Json(SettingsReader.Stored(Json(settings))));
    }

    [Property]
    public bool Any_values_come_back_equal_from_json(string? name, string?[] values, string? notes)
    {
        var settings = Made(name, values, notes);
        return Json(SettingsReader.Read(Json(settings), Schema).Value!) == Json(settings);
    }

    [Property]
    public bool Any_values_come_back_equal_from_the_short_text(string? name, NonEmptyString value)
    {
        var settings = Made(name, [value.Get], null) with { Nickname = Typed(name).Trim() is { Length: > 0 } n ? n : "Quince" };
        var short_ = ShortForm.Write(settings);
        var back = ShortForm.Read(" \n" + short_.Insert(short_.Length / 2, "\r\n") + "\n").Value!;
        var whole = Typed(value.Get);
        return back.Nickname == settings.Nickname
            && short_.Length <= 900
            && back.Of("more.quirk:1") == (whole.Length > 120 ? whole[..120] + "…" : whole);
    }

    [Fact]
    public void The_short_text_carries_what_one_needs_at_the_bench()
    {
        var text = ShortForm.Write(Runs.Settings() with { Notes = string.Concat(Enumerable.Repeat("; water first ", 400)) });
        Assert.InRange(text.Length, 500, 910);
        var back = ShortForm.Read(text).Value!;
        Assert.Equal("Quillon Quill V", back.Of("board.model"));
        Assert.Equal("/dev/ttyUSB0 at 115200 8N1", back.Of("console.port"));
        Assert.StartsWith("; water first", back.Notes);
        Assert.All(back.Settings, s => Assert.Equal(Standing.Claimed, s.Standing));
    }

    [Property]
    public bool A_changed_letter_is_noticed(NonNegativeInt at)
    {
        var text = ShortForm.Write(Runs.Settings());
        var place = ShortForm.Begin.Length + 1 + at.Get % (text.Length - ShortForm.Begin.Length - 1);
        var changed = text[..place] + (text[place] == 'x' ? 'y' : 'x') + text[(place + 1)..];
        return ShortForm.Read(changed).Problem is not null;
    }

    [Theory]
    [InlineData("", "begins with")]
    [InlineData("hello", "begins with")]
    [InlineData("buttonhook.settings/3;Quince;a.b=c;00000000", "The text says buttonhook.settings/3")]
    [InlineData("{", "Line 1 is not")]
    [InlineData("{}", "says no format")]
    [InlineData("""{"format":7}""", "says no format")]
    [InlineData("""{"format":"orchard.rows/1"}""", "The file says orchard.rows/1")]
    [InlineData("""{"format":"buttonhook.working-settings/9"}""", "from a newer one")]
    [InlineData("""{"format":"buttonhook.working-settings/2"}""", "match its schema")]
    [InlineData("""{"format":"buttonhook.working-settings/1"}""", "name their board")]
    [InlineData("""{"format":"buttonhook.working-settings/1","format":"buttonhook.working-settings/2"}""", "")]
    [InlineData(
        """{"format":"buttonhook.working-settings/2","nickname":"A","settings":[{"id":"../../x","name":"n","standing":"proven","source":""}],"files":[],"notes":""}""",
        "match its schema"
    )]
    public void What_is_foreign_damaged_or_newer_ends_in_words(string text, string says)
    {
        var read = SettingsReader.Read(text, Schema);
        Assert.Null(read.Value);
        Assert.Contains(says, read.Problem!.ToString());
    }

    [Property]
    public bool No_text_throws(string? text, bool brace) =>
        SettingsReader.Read((brace ? "{" : "") + text, Schema) is { } answer && (answer.Value is null) != (answer.Problem is null);

    [Fact]
    public void A_record_of_the_first_format_is_read_as_todays()
    {
        const string old = """
            {"format":"buttonhook.working-settings/1","nickname":"Russet","maker":"Quillon","model":"Quill V","revision":"B","memoryMiB":4096,
             "instructionSet":"64-bit RISC-V","image":"Fallow 12 server","imageVersion":"12","cardGb":32,"supply":null,"adapter":null,
             "console":"/dev/ttyUSB0 at 115200 8N1","kernel":"6.6.30","os":"Fallow 12","rootDevice":"mmcblk0p2","hostname":"russet",
             "addresses":["10.20.0.7"],"stageTimes":[{"stage":"login","seconds":41.5}],"changes":["The card was pushed home."],"notes":"wall",
             "logSha256":"0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef","bootedAt":"2026-03-14T06:30:00+00:00"}
            """;
        var read = SettingsReader.Read(old, Schema).Value!;
        Assert.Equal(("Russet", "Quillon Quill V", "4 GB"), (read.Nickname, read.Of("board.model"), read.Of("board.memory")));
        Assert.Equal(("41.5 s", "32 GB", "10.20.0.7"), (read.Of("time.login"), read.Of("card.label"), read.Of("network.address:1")));
        Assert.Equal(("wall", Runs.At), (read.Notes, read.BootedAt!.Value));
        // What it did not say is not made up.
        Assert.Null(read.Of("supply.name"));
        Assert.Null(read.Bench);
        Assert.Equal(Json(read), Json(SettingsReader.Stored(old)));
        Assert.Equal(Json(read), Json(SettingsReader.Read(Json(read), Schema).Value!));
    }

    [Fact]
    public void Markdown_holds_groups_files_and_notes_and_nothing_breaks_out_of_it()
    {
        var settings = Runs.Settings() with { Notes = "Northern <hedge>", Files = [new("/extlinux/extlinux.conf", "a\n```\n# b\n")] };
        var text = SettingsText.Markdown(settings.Saying(new Dictionary<string, string> { ["system.kernel"] = "patched" }), 2);
        Assert.StartsWith("# Quince: working settings, version 2\n", text);
        Assert.Contains("| Met and mended | Card not pushed home: The card \\| was pushed home. | proven: boot 3 went on |", text);
        Assert.Matches(@"\| Kernel \| 6\.6\.30-riscv64 \(you say: patched\) \| proven, line [0-9]+; you say otherwise \|", text);
        Assert.Contains("\n    ```\n    # b\n", text);
        Assert.Contains("Northern &lt;hedge>", text);
    }
}
