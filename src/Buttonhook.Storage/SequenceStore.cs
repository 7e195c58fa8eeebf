using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>What a person lets the computer type to each board.</summary>
public sealed class SequenceStore(Database database)
{
    /// <summary>The sequences of a board, by name.</summary>
    public IReadOnlyList<Sequence> Of(string boardId)
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<string>("SELECT sequence FROM sequences WHERE board_id = @boardId ORDER BY name", new { boardId })
                .Select(s => JsonSerializer.Deserialize<Sequence>(s, DataFile.Json)!),
        ];
    }

    /// <summary>Keeps a sequence; one of the same name is replaced.</summary>
    public void Keep(string boardId, Sequence sequence)
    {
        using var connection = database.Connect();
        connection.Put(
            "sequences",
            "board_id, name",
            new
            {
                board_id = boardId,
                name = sequence.Name,
                sequence = Rows.Json(sequence),
            },
            ["sequence"]
        );
    }

    /// <summary>Removes a sequence.</summary>
    public void Remove(string boardId, string name)
    {
        using var connection = database.Connect();
        connection.Execute("DELETE FROM sequences WHERE board_id = @boardId AND name = @name", new { boardId, name });
    }
}
