using System.Text.Json;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Keeping;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Boards;

public class ProfilePackTests
{
    private static string Schema(string name) => File.ReadAllText(Path.Combine(Knowledge.Root, $"docs/formats/{name}.schema.json"));

    public static ProfileSchemas Schemas { get; } = new(Schema("board"), Schema("image"), Schema("revision-code"), Schema("experience"));

    private static string Text(object value) => JsonSerializer.Serialize(value, DataFile.Json);

    [Fact]
    public void A_pack_of_everything_comes_back_equal()
    {
        var pack = new ProfilePack(Bench.Catalogue.Models, Bench.Catalogue.Images, Bench.Catalogue.Codes, []);
        var back = ProfilePack.Read("pack.yaml", pack.Write(), Schemas).Value!;
        // What tells images of one name apart is told of a shelf and stands on no card.
        Assert.Equal(Text(pack with { Images = [.. pack.Images.Select(i => i with { Apart = null })] }), Text(back));
    }

    [Property]
    public void Any_text_comes_back_from_yaml_as_it_was(string text, int number, bool truth)
    {
        // YAML cannot carry lone surrogates and most control characters as such; cards never hold them.
        if (text is null || text.Any(c => char.IsSurrogate(c) || c is '\uFFFE' or '\uFFFF' or '\uFEFF'))
            return;
        var value = new Dictionary<string, object?>
        {
            ["text"] = text,
            ["number"] = number,
            ["truth"] = truth,
            ["none"] = null,
        };
        var back = DataFile.ToJson(DataFile.Write(value))!;
        Assert.Equal(text, back["text"]!.GetValue<string>());
        Assert.Equal(number, back["number"]!.GetValue<long>());
        Assert.Equal(truth, back["truth"]!.GetValue<bool>());
        Assert.Null(back["none"]);
    }

    [Theory]
    [InlineData("0x10")]
    [InlineData("12")]
    [InlineData("1.3")]
    [InlineData("null")]
    [InlineData("true")]
    [InlineData("~")]
    [InlineData("- a")]
    [InlineData("a: b")]
    [InlineData("# no comment")]
    [InlineData(" spaces ")]
    [InlineData("two\nlines\r\n")]
    public void Text_that_looks_like_something_else_stays_text(string text) =>
        Assert.Equal(text, DataFile.ToJson(DataFile.Write(new Dictionary<string, string> { ["x"] = text }))!["x"]!.GetValue<string>());

    [Fact]
    public void A_wrong_card_names_its_document_and_the_place()
    {
        var good = DataFile.Write(Bench.Catalogue.Models[0]);
        var bad = good.Replace("name: Bridle X", "name: 5", StringComparison.Ordinal);
        var problem = ProfilePack.Read("pack.yaml", $"{good}---\n{bad}", Schemas).Problem!;
        Assert.Equal("Document 2 of pack.yaml should match its schema.", problem.Expected);
        Assert.Contains("/name", problem.Came);
    }

    [Theory]
    [InlineData("id: x\n", "It has no format.")]
    [InlineData("format: buttonhook.board/9\n", "It has buttonhook.board/9.")]
    [InlineData("", "It holds 0.")]
    [InlineData("a: [1, 2", "Line ")]
    [InlineData("a: &x [*x]", "Line ")]
    public void A_file_that_holds_no_card_is_told_so(string yaml, string came) =>
        Assert.Contains(came, ProfilePack.Read("x.yaml", yaml, Schemas).Problem!.Came);

    [Fact]
    public void The_same_id_twice_is_a_problem()
    {
        var card = DataFile.Write(Bench.Catalogue.Models[0]);
        Assert.Contains("there twice", ProfilePack.Read("x.yaml", $"{card}---\n{card}", Schemas).Problem!.Came);
    }

    [Property]
    public void Any_text_is_an_answer_and_never_an_accident(string yaml)
    {
        var read = ProfilePack.Read("x.yaml", yaml ?? "", Schemas);
        Assert.True(read.IsGood || read.Problem is not null);
    }

    [Theory]
    [InlineData(":\t{\na", "not YAML")]
    [InlineData(":\ta\0*a", "not YAML")]
    [InlineData("!a x: 1\nx: 2", "twice")]
    [InlineData("x: &a 1", "anchors")]
    public void Yaml_that_makes_its_reader_stumble_is_a_problem(string yaml, string came) =>
        Assert.Contains(came, ProfilePack.Read("x.yaml", yaml, Schemas).Problem!.Came);

    [Theory]
    [InlineData("[")]
    [InlineData("{a: ")]
    [InlineData("- ")]
    public void Any_depth_is_refused_in_words(string piece) =>
        Assert.Contains("depth", ProfilePack.Read("x.yaml", string.Concat(Enumerable.Repeat(piece, 100_000)), Schemas).Problem!.Came);
}
