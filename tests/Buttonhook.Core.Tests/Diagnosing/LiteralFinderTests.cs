using Buttonhook.Core.Diagnosing;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Diagnosing;

public sealed class LiteralFinderTests
{
    /// <summary>Texts and literals over few letters, so that they overlap, contain and repeat each other.</summary>
    private static readonly Gen<string> Word = Gen.Elements('a', 'b', 'c', 'é').ArrayOf().Select(c => new string(c));

    [Property(MaxTest = 500)]
    public Property It_finds_what_a_search_for_each_finds() =>
        Prop.ForAll(
            Word.ArrayOf().Zip(Word).ToArbitrary(),
            given =>
            {
                var (literals, text) = given;
                var each = Enumerable.Range(0, literals.Length).Where(i => literals[i] is { Length: > 0 } l && text.Contains(l));
                return new LiteralFinder(literals).In(text).SequenceEqual(each);
            }
        );

    [Fact]
    public void One_inside_another_and_one_twice_are_all_found() =>
        Assert.Equal(
            [0, 1, 2, 4],
            new LiteralFinder(["panic", "kernel panic", "nic", "panics", "panic", ""]).In("a kernel panic - not syncing")
        );
}
