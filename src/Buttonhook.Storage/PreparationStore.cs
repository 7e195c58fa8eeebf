using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Preparing;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>What is set before the first boot, recipes that people added, and the writing of cards.</summary>
public sealed class PreparationStore(Database database)
{
    private sealed record PreparationRow(string FirstBoot, string Recipes, long Version);

    private sealed record SlotRow(string Id, string Name, string Setup);

    /// <summary>What is set for a board, the ids of its recipes, and which version of it this is; the usual, version 0, when nothing was set.</summary>
    public (FirstBoot Set, IReadOnlyList<string> Recipes, int Version) Of(string boardId)
    {
        using var connection = database.Connect();
        var row = connection.QuerySingleOrDefault<PreparationRow>(
            "SELECT first_boot AS FirstBoot, recipes AS Recipes, version AS Version FROM preparations WHERE board_id = @boardId",
            new { boardId }
        );
        return row is null
            ? (FirstBoot.Usual, [], 0)
            : (Read<FirstBoot>(row.FirstBoot), Read<IReadOnlyList<string>>(row.Recipes), (int)row.Version);
    }

    /// <summary>Stores what is set for a board, if it is still the version that it was made from; false, and nothing stored, when somebody else was faster.</summary>
    public bool Set(string boardId, FirstBoot set, IReadOnlyList<string> recipes, int version)
    {
        using var connection = database.Connect();
        return connection.Execute(
                """
                INSERT INTO preparations (board_id, first_boot, recipes, version)
                SELECT @boardId, @set, @recipes, 1 WHERE @version = 0 OR EXISTS (SELECT 1 FROM preparations WHERE board_id = @boardId)
                ON CONFLICT (board_id) DO UPDATE SET first_boot = excluded.first_boot, recipes = excluded.recipes, version = preparations.version + 1
                  WHERE preparations.version = @version
                """,
                new
                {
                    boardId,
                    version,
                    set = Rows.Json(set),
                    recipes = Rows.Json(recipes),
                }
            ) > 0;
    }

    /// <summary>The host names that are set for other boards.</summary>
    public IReadOnlyList<string> HostNames(string exceptBoardId) => [.. OfOthers(exceptBoardId).Select(s => s.HostName).OfType<string>()];

    /// <summary>The fixed addresses that are set for other boards on the bench, without their lengths.</summary>
    public IReadOnlyList<string> Addresses(string exceptBoardId) =>
        [.. OfOthers(exceptBoardId).SelectMany(s => s.Address?.Addresses ?? []).Select(a => a.Split('/')[0])];

    private IEnumerable<FirstBoot> OfOthers(string exceptBoardId)
    {
        using var connection = database.Connect();
        return connection
            .Query<string>(
                "SELECT first_boot FROM preparations WHERE board_id <> @exceptBoardId AND board_id IN (SELECT id FROM boards WHERE removed_at IS NULL)",
                new { exceptBoardId }
            )
            .Select(Read<FirstBoot>)
            .ToList();
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
        connection.Put(
            "card_slots",
            "id",
            new
            {
                id,
                name,
                setup,
            },
            ["name", "setup"]
        );
    }

    /// <summary>Stores the writing of a card as it stands.</summary>
    public void Keep(CardWrite write)
    {
        using var connection = database.Connect();
        connection.Put(
            "card_writes",
            "id",
            new
            {
                id = write.Id,
                board_id = write.BoardId,
                slot_id = write.SlotId,
                state = Rows.Json(write),
                running = write.Running,
                started_at = Rows.At(write.StartedAt),
            },
            ["state", "running"]
        );
    }

    /// <summary>The newest writing for a board, or null.</summary>
    public CardWrite? NewestOf(string boardId) => One("board_id = @key", boardId);

    /// <summary>The newest writing for a card of a board that ended before a moment, or null.</summary>
    public CardWrite? Before(string boardId, int cardNumber, DateTimeOffset at)
    {
        using var connection = database.Connect();
        return connection
            .Query<string>(
                "SELECT state FROM card_writes WHERE board_id = @boardId AND started_at < @at ORDER BY started_at DESC",
                new { boardId, at = Rows.At(at) },
                // The newest one is nearly always the one: the others are not read.
                buffered: false
            )
            .Select(Read<CardWrite>)
            .FirstOrDefault(w => w.Step == WriteStep.Done && (w.CardNumber is null || w.CardNumber == cardNumber));
    }

    /// <summary>The newest writing into a slot, or null.</summary>
    public CardWrite? NewestIn(string slotId) => One("slot_id = @key OR json_extract(state, '$.driveSlotId') = @key", slotId);

    /// <summary>Those that were running when the program ended.</summary>
    public IReadOnlyList<CardWrite> LeftRunning()
    {
        using var connection = database.Connect();
        return [.. connection.Query<string>("SELECT state FROM card_writes WHERE running = 1").Select(Read<CardWrite>)];
    }

    /// <summary>The speeds of the user's own finished writes, newest first: bytes a second written and read back.</summary>
    /// <param name="real">Those of real cards, or those of simulated slots: one says nothing of the other.</param>
    public IReadOnlyList<(double Write, double Read)> Speeds(bool real)
    {
        using var connection = database.Connect();
        var own = connection
            .Query<string>("SELECT state FROM card_writes WHERE running = 0 AND slot_id <> 'copy' ORDER BY started_at DESC LIMIT 40")
            .Select(Read<CardWrite>)
            .Where(w => w.WriteBytesPerSecond is > 0 && w.ReadBytesPerSecond is > 0)
            .ToList();
        return
        [
            .. own.Where(w => w.SlotId.StartsWith("dev-", StringComparison.Ordinal) == real)
                .Take(20)
                .Select(w => (w.WriteBytesPerSecond!.Value, w.ReadBytesPerSecond!.Value)),
        ];
    }

    /// <summary>Real cards that were written here: the label that their board says, and what they really hold.</summary>
    public IReadOnlyList<MeasuredCard> MeasuredCards()
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<string>("SELECT state FROM card_writes WHERE running = 0 AND slot_id LIKE 'dev-%'")
                .Select(Read<CardWrite>)
                .Where(w => w is { LabelGb: > 0, CardBytes: > 0, Step: WriteStep.Done })
                .Select(w => new MeasuredCard(w.LabelGb!.Value, w.CardBytes!.Value, $"written here on {w.StartedAt:yyyy-MM-dd}")),
        ];
    }

    /// <summary>How fast each real card was written, oldest first: the slot, and bytes a second. Simulated slots tell nothing of cards.</summary>
    public IReadOnlyList<(string Slot, double BytesPerSecond)> WrittenSpeeds()
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<string>("SELECT state FROM card_writes WHERE running = 0 AND slot_id LIKE 'dev-%' ORDER BY started_at")
                .Select(Read<CardWrite>)
                .Where(w => w.WriteBytesPerSecond is > 0)
                .Select(w => (w.SlotName, w.WriteBytesPerSecond!.Value)),
        ];
    }

    /// <summary>Recipes that people added.</summary>
    public IReadOnlyList<Recipe> Recipes()
    {
        using var connection = database.Connect();
        return [.. connection.Query<string>("SELECT recipe FROM recipes WHERE removed_at IS NULL ORDER BY id").Select(Read<Recipe>)];
    }

    /// <summary>Adds recipes, or takes the place of those with the same id.</summary>
    public void AddRecipe(Recipe recipe)
    {
        using var connection = database.Connect();
        connection.Put("recipes", "id", new { id = recipe.Id, recipe = Rows.Json(recipe) }, ["recipe", "removed_at"]);
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
