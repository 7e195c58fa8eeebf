using Buttonhook.Core.Consoles;
using Dapper;

namespace Buttonhook.Storage;

// What was typed, and how it is forgotten.
public sealed partial class BootStore
{
    /// <summary>What was typed during a boot and is kept, each with its row, in the order of <see cref="Journal"/>.</summary>
    public IReadOnlyList<(long Id, JournalEvent Event)> Typed(string bootId)
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<(long Id, long Milliseconds, string Text, long? AtByte, byte[]? Bytes)>(
                    "SELECT id, milliseconds, text, at_byte, bytes FROM boot_events WHERE boot_id = @bootId AND kind = 'Typed' ORDER BY milliseconds, id",
                    new { bootId }
                )
                .Select(r => (r.Id, new JournalEvent((int)r.Milliseconds, EventKind.Typed, r.Text, r.AtByte, r.Bytes)))
                .OrderBy(r => r.Item2.AtByte ?? -1),
        ];
    }

    /// <summary>Takes the text of what was typed out of these rows; only that something was typed stays.</summary>
    /// <param name="words">What stands in its place.</param>
    public void Forget(IEnumerable<long> rows, string words)
    {
        using var unit = database.Begin();
        using var connection = database.Connect();
        connection.Execute(
            "UPDATE boot_events SET kind = 'Secret', text = @words, bytes = NULL WHERE id = @id",
            rows.Select(id => new { id, words })
        );
        unit.Commit();
    }
}
