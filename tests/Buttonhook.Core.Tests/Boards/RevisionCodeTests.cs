using Buttonhook.Core.Boards;
using Buttonhook.Core.Identifying;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Boards;

public class RevisionCodeTests
{
    private static readonly RevisionScheme Scheme = Bench.Catalogue.Codes.Single(c => c.Id == "thornlea");

    [Theory]
    [InlineData("c4013", "1.3", 1024)]
    [InlineData("0xC4023", "1.3", 2048)]
    [InlineData(" c4021 ", "1.1", 2048)]
    public void A_code_tells_model_revision_and_memory(string code, string revision, int memory)
    {
        var read = RevisionCodes.Read(code, [Scheme])!;
        Assert.Equal(("spindle-2", revision, memory), (read.ModelId, read.RevisionId, read.MemoryMiB));
        Assert.Equal(["model", "memory", "revision"], read.Parts.Select(p => p.Field));
    }

    [Theory]
    [InlineData("b4013")]
    [InlineData("1c4013")]
    [InlineData("spindle")]
    [InlineData("")]
    public void Another_makers_code_is_not_read(string code) => Assert.Null(RevisionCodes.Read(code, [Scheme]));

    [Fact]
    public void A_value_that_the_scheme_does_not_have_is_said_to_be_unknown()
    {
        var read = RevisionCodes.Read("c40f3", [Scheme])!;
        Assert.Equal("not known here", read.Parts.Single(p => p.Field == "memory").Means);
        Assert.Null(read.MemoryMiB);
    }

    [Fact]
    public void The_code_is_found_in_text_of_a_running_system() =>
        Assert.Equal("c4023", RevisionCodes.In("processor\t: 0\nHardware\t: Thornlea\nRevision\t: c4023\nSerial\t: 0\n", [Scheme]));

    [Property]
    public void Bits_put_together_again_are_the_number(ulong number, byte cut)
    {
        var at = 1 + cut % 62;
        Assert.Equal(number, RevisionCodes.Bits(number, 0, at) | (RevisionCodes.Bits(number, at, 64 - at) << at));
    }

    [Fact]
    public void A_code_alone_tells_the_board()
    {
        var told = Identification.Tell(new(null, "c4023", null, null, []), Bench.Catalogue, Knowledge.Rules).Value!;
        var best = told.Candidates[0];
        Assert.Equal(("spindle-2", "1.3", 2048), (best.ModelId, best.RevisionId, best.MemoryMiB));
        Assert.True(best.Probability > 0.9);
        Assert.Equal("Spindle 2", told.Code!.Parts[0].Means);
    }

    [Fact]
    public void A_code_against_the_mark_is_a_contradiction()
    {
        var told = Identification.Tell(new("SP2 v1.1", "c4023", null, null, []), Bench.Catalogue, Knowledge.Rules).Value!;
        Assert.Equal("The mark says Spindle 2, revision 1.1, the code says Spindle 2, revision 1.3.", Assert.Single(told.Contradictions));
    }

    [Fact]
    public void Something_that_is_no_code_is_a_problem() =>
        Assert.Contains(
            "hexadecimal",
            Identification.Tell(new(null, "v1.3", null, null, []), Bench.Catalogue, Knowledge.Rules).Problem!.Expected
        );
}
