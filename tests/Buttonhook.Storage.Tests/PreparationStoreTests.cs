using Buttonhook.Core.Boards;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Storage.Tests;

public sealed class PreparationStoreTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;
    private readonly Database database;
    private readonly PreparationStore store;

    public PreparationStoreTests()
    {
        database = Database.Open(Path.Combine(folder, "bench.db")).Value!;
        store = new(database);
        foreach (var id in new[] { "a", "b" })
            new BoardStore(database).Save(
                new Board(id, id, "quill-v", "B", 4096, new(32, false, true, null, null), ["mark"], null, [], true),
                null
            );
    }

    public void Dispose()
    {
        database.Dispose();
        Directory.Delete(folder, true);
    }

    private static CardWrite Write(string id, WriteStep step, int minute, string slot = "slot-1", double? speed = null) =>
        new(
            id,
            "a",
            slot,
            "Slot",
            "image",
            "Image",
            step,
            5,
            10,
            2,
            speed,
            speed * 2,
            ["/cmdline.txt"],
            null,
            null,
            true,
            null,
            new(2026, 3, 1, 12, minute, 0, TimeSpan.Zero),
            null
        );

    [Fact]
    public void What_is_set_comes_back_and_goes_with_its_board()
    {
        Assert.Equal((FirstBoot.Usual.HostName, 0), (store.Of("a").Set.HostName, store.Of("a").Recipes.Count));
        store.Set("a", FirstBoot.Usual with { HostName = "frost", Wireless = new("Orchard", "00", "PT"), Keys = ["k"] }, ["usb-link"], 0);
        store.Set("a", FirstBoot.Usual with { HostName = "frost-2", Wireless = new("Orchard", "00", "PT"), Keys = ["k"] }, ["usb-link"], 1);
        var (set, recipes, version) = store.Of("a");
        Assert.Equal(2, version);
        Assert.Equal(("frost-2", "Orchard", "k", "usb-link"), (set.HostName, set.Wireless!.Name, set.Keys[0], recipes[0]));
        Assert.Equal(["frost-2"], store.HostNames("b"));
        Assert.Empty(store.HostNames("a"));
        new RemovalStore(database).Remove("board", "a", DateTimeOffset.UtcNow);
        Assert.Empty(store.HostNames("b"));
    }

    [Fact]
    public void A_save_that_was_made_from_an_older_version_stores_nothing()
    {
        Assert.True(store.Set("a", FirstBoot.Usual with { TimeZone = "Europe/Lisbon" }, [], 0));
        Assert.False(store.Set("a", FirstBoot.Usual with { HostName = "frost" }, [], 0));
        Assert.Equal(("Europe/Lisbon", null, 1), (store.Of("a").Set.TimeZone, store.Of("a").Set.HostName, store.Of("a").Version));
        Assert.True(store.Set("a", FirstBoot.Usual with { HostName = "frost" }, [], 1));
        Assert.False(store.Set("b", FirstBoot.Usual, [], 3));
    }

    [Fact]
    public void The_newest_write_counts_and_what_runs_is_found_again()
    {
        store.Keep(Write("1", WriteStep.Done, 1));
        store.Keep(Write("2", WriteStep.Writing, 2));
        Assert.Equal("2", store.NewestOf("a")!.Id);
        Assert.Equal("2", store.NewestIn("slot-1")!.Id);
        Assert.Null(store.NewestIn("slot-2"));
        Assert.Equal("2", Assert.Single(store.LeftRunning()).Id);
        store.Keep(Write("2", WriteStep.Interrupted, 2));
        Assert.Empty(store.LeftRunning());
        Assert.Equal(3, Write("3", WriteStep.Writing, 3).SecondsLeft);
    }

    [Fact]
    public void Speeds_of_simulated_slots_say_nothing_of_real_cards()
    {
        store.Keep(Write("1", WriteStep.Done, 1, speed: 10));
        store.Keep(Write("2", WriteStep.Done, 2, "copy", 99));
        Assert.Equal([(10.0, 20.0)], store.Speeds(real: false));
        Assert.Empty(store.Speeds(real: true));
        store.Keep(Write("3", WriteStep.Done, 3, "dev-sdb", 30));
        Assert.Equal([(30.0, 60.0)], store.Speeds(real: true));
        Assert.Equal([(10.0, 20.0)], store.Speeds(real: false));
    }

    [Fact]
    public void Slots_and_recipes_are_added_or_changed()
    {
        store.SetSlot("slot-1", "One", "{}");
        store.SetSlot("slot-1", "First", "{}");
        Assert.Equal(("slot-1", "First", "{}"), Assert.Single(store.Slots()));
        var recipe = new Recipe(
            Recipe.FileFormat,
            "x",
            "X",
            "y",
            new([], [], [], []),
            [new(RecipeAction.Enable, "frost", null, null, null)]
        );
        store.AddRecipe(recipe);
        store.AddRecipe(recipe with { Name = "Z" });
        Assert.Equal("Z", Assert.Single(store.Recipes()).Name);
    }
}
