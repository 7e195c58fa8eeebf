using Buttonhook.Core.Identifying;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Boards;

/// <summary>A board is found by what is printed on it, however it is typed.</summary>
public class TreeSearchTests
{
    private static readonly string[] Makers = ["Thornlea", "Quillon", "Bridleworks", "Ladle", "Orchardine"];
    private static readonly string[] Names = ["Spindle", "Quill", "Bridle", "Thimble", "Vane", "Pomona", "Quince", "Hobble"];

    private static TreeFacts Tree(string model, string compatible, string file) =>
        new($"kernel.deb:usr/lib/{file}.dtb", model, [compatible], null, null, null, [], [], [], null, []);

    private static readonly TreeSearch Search = new(
        Enumerable
            .Range(0, 5000)
            .Select(i =>
            {
                var (maker, name, number) = (Makers[i % 5], Names[i / 5 % 8], i / 40 + 1);
                return Tree(
                    $"{maker} {name} {number}",
                    $"{maker.ToLowerInvariant()},{name.ToLowerInvariant()}-{number}",
                    $"x{i}-{name.ToLowerInvariant()}-{number}"
                );
            })
    );

    private static string? First(string typed) => Search.Find(typed, 10).Select(f => f.Tree.Model).FirstOrDefault();

    [Theory]
    [InlineData("Thornlea Spindle 2")]
    [InlineData("spindle 2 thornlea")]
    [InlineData("thornlea,spindle-2")]
    [InlineData("SPINDLE2 thornlea")]
    [InlineData("Thornela Spindel 2")]
    [InlineData("thornl spind 2")]
    [InlineData("Thornlea Spindle 2 rev1.3")]
    public void Order_case_slips_and_missing_letters_do_not_matter(string typed) => Assert.Equal("Thornlea Spindle 2", First(typed));

    [Fact]
    public void A_number_is_never_taken_for_a_misspelt_one_when_the_right_one_is_there()
    {
        Assert.Equal("Ladle Quince 55", First("ladle quince 55"));
        Assert.All(Search.Find("ladle quince 55", 1), f => Assert.Equal(1, f.Fit));
    }

    [Fact]
    public void What_no_tree_has_finds_nothing_and_no_word_finds_all_in_order()
    {
        Assert.Empty(Search.Find("zzgrml", 10));
        Assert.Equal(10, Search.Find("", 10).Count);
        Assert.Equal(5000, Search.Count);
    }

    [Property(MaxTest = 40)]
    public bool Every_board_is_found_by_its_own_model_with_two_letters_swapped(int which, int at)
    {
        var model = Search.Find("", 5000)[(which & int.MaxValue) % 5000].Tree.Model!;
        var letters = model.ToCharArray();
        var place = 1 + (at & int.MaxValue) % (model.IndexOf(' ') - 2);
        (letters[place], letters[place + 1]) = (letters[place + 1], letters[place]);
        return Search.Find(new string(letters), 5).Any(f => f.Tree.Model == model);
    }
}
