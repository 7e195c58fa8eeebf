using System.Globalization;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Preparing;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>What is set before the first boot, recipes that people added, and the writing of cards.</summary>
public sealed class PreparationStore(Database database)
{
    private sealed record PreparationRow(string FirstBoot, string Recipes);

    private sealed record SlotRow(string Id, string Name, string Setup);

    /// <summary>What is set for a board, and the ids of its recipes; the usual when nothing was set.</summary>
    public (FirstBoot Set, IReadOnlyList<string> Recipes) Of(string boardId)
    {
        using var connection = database.Connect();
        var row = connection.QuerySingleOrDefault<PreparationRow>(
            "SELECT first_boot AS FirstBoot, recipes AS Recipes FROM preparations WHERE board_id = @boardId",
            new { boardId }
        );
        return row is null ? (FirstBoot.Usual, []) : (Read<FirstBoot>(row.FirstBoot), Read<IReadOnlyList<string>>(row.Recipes));
    }

    /// <summary>Stores what is set for a board.</summary>
    public void Set(string boardId, FirstBoot set, IReadOnlyList<string> recipes)
    {
        using var connection = database.Connect();
        connection.Execute(
            """
            INSERT INTO preparations (board_id, first_boot, recipes) VALUES (@boardId, @set, @recipes)
            ON CONFLICT (board_id) DO UPDATE SET first_boot = excluded.first_boot, recipes = excluded.recipes
            """,
            new
            {
                boardId,
                set = JsonSerializer.Serialize(set, DataFile.Json),
                recipes = JsonSerializer.Serialize(recipes, DataFile.Json),
            }
        );
    }

    /// <summary>The host names that are set for other boards.</summary>
    public IReadOnlyList<string> HostNames(string exceptBoardId)
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<string>("SELECT first_boot FROM preparations WHERE board_id <> @exceptBoardId", new { exceptBoardId })
                .Select(s => Read<FirstBoot>(s).HostName)
                .OfType<string>(),
        ];
    }

    /// <summary>The simulated slots: id, name and setup as text.</summary>
    public IReadOnlyList<(string Id, string Name, string Setup)> Slots()
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<SlotRow>("SELECT id AS Id, name AS Name, setup AS Setup FROM card_slots ORDER BY id")
                .Select(r => (r.Id, r.Name, r.Setup)),
        ];
    }

    /// <summary>Adds or changes a simulated slot.</summary>
    public void SetSlot(string id, string name, string setup)
    {
        using var connection = database.Connect();
        connection.Execute(
            """
            INSERT INTO card_slots (id, name, setup) VALUES (@id, @name, @setup)
            ON CONFLICT (id) DO UPDATE SET name = excluded.name, setup = excluded.setup
            """,
            new
            {
                id,
                name,
                setup,
            }
        );
    }

    /// <summary>Stores the writing of a card as it stands.</summary>
    public void Keep(CardWrite write)
    {
        using var connection = database.Connect();
        connection.Execute(
            """
            INSERT INTO card_writes (id, board_id, slot_id, state, running, started_at) VALUES (@Id, @BoardId, @SlotId, @state, @Running, @at)
            ON CONFLICT (id) DO UPDATE SET state = excluded.state, running = excluded.running
            """,
            new
            {
                write.Id,
                write.BoardId,
                write.SlotId,
                state = JsonSerializer.Serialize(write, DataFile.Json),
                write.Running,
                at = write.StartedAt.ToString("O", CultureInfo.InvariantCulture),
            }
        );
    }

    /// <summary>The newest writing for a board, or null.</summary>
    public CardWrite? NewestOf(string boardId) => One("board_id = @key", boardId);

    /// <summary>The newest writing into a slot, or null.</summary>
    public CardWrite? NewestIn(string slotId) => One("slot_id = @key", slotId);

    /// <summary>Those that were running when the program ended.</summary>
    public IReadOnlyList<CardWrite> LeftRunning()
    {
        using var connection = database.Connect();
        return [.. connection.Query<string>("SELECT state FROM card_writes WHERE running = 1").Select(Read<CardWrite>)];
    }

    /// <summary>The speeds of the user's own finished writes, newest first: bytes a second written and read back. Once a real card was written, simulated ones do not count.</summary>
    public IReadOnlyList<(double Write, double Read)> Speeds()
    {
        using var connection = database.Connect();
        var own = connection
            .Query<string>("SELECT state FROM card_writes WHERE running = 0 AND slot_id <> 'copy' ORDER BY started_at DESC LIMIT 40")
            .Select(Read<CardWrite>)
            .Where(w => w.WriteBytesPerSecond is > 0 && w.ReadBytesPerSecond is > 0)
            .ToList();
        var real = own.Where(w => w.SlotId.StartsWith("dev-", StringComparison.Ordinal)).ToList();
        return [.. (real.Count > 0 ? real : own).Take(20).Select(w => (w.WriteBytesPerSecond!.Value, w.ReadBytesPerSecond!.Value))];
    }

    /// <summary>Recipes that people added.</summary>
    public IReadOnlyList<Recipe> Recipes()
    {
        using var connection = database.Connect();
        return [.. connection.Query<string>("SELECT recipe FROM recipes ORDER BY id").Select(Read<Recipe>)];
    }

    /// <summary>Adds recipes, or takes the place of those with the same id.</summary>
    public void AddRecipe(Recipe recipe)
    {
        using var connection = database.Connect();
        connection.Execute(
            "INSERT INTO recipes (id, recipe) VALUES (@Id, @text) ON CONFLICT (id) DO UPDATE SET recipe = excluded.recipe",
            new { recipe.Id, text = JsonSerializer.Serialize(recipe, DataFile.Json) }
        );
    }

    private CardWrite? One(string where, string key)
    {
        using var connection = database.Connect();
        return
            connection.QueryFirstOrDefault<string>(
                $"SELECT state FROM card_writes WHERE {where} ORDER BY started_at DESC LIMIT 1",
                new { key }
            )
                is { } state
            ? Read<CardWrite>(state)
            : null;
    }

    private static T Read<T>(string text) => JsonSerializer.Deserialize<T>(text, DataFile.Json)!;
}
