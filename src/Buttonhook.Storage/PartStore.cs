using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>What a person's own bench has besides: supplies, parts and adapters.</summary>
public sealed record OwnParts(IReadOnlyList<Supply> Supplies, IReadOnlyList<FedPart> Parts, IReadOnlyList<ConsoleAdapter> Adapters);

/// <summary>Supplies, parts and adapters that a person added.</summary>
public sealed class PartStore(Database database)
{
    /// <summary>All of them, in the order in which they were added.</summary>
    public OwnParts All()
    {
        using var connection = database.Connect();
        var rows = connection
            .Query<(string Kind, string Part)>("SELECT kind, part FROM parts WHERE removed_at IS NULL ORDER BY added_at, id")
            .ToList();
        IReadOnlyList<T> Of<T>(string kind) =>
            [.. rows.Where(r => r.Kind == kind).Select(r => JsonSerializer.Deserialize<T>(r.Part, DataFile.Json)!)];
        return new(Of<Supply>("supply"), Of<FedPart>("part"), Of<ConsoleAdapter>("adapter"));
    }

    /// <summary>Adds one; one with the same id takes its place.</summary>
    /// <param name="kind">supply, part or adapter.</param>
    public void Add<T>(string kind, string id, T part, DateTimeOffset at)
    {
        using var connection = database.Connect();
        connection.Put(
            "parts",
            "kind, id",
            new
            {
                kind,
                id,
                part = Rows.Json(part),
                added_at = Rows.At(at),
            },
            ["part", "removed_at"]
        );
    }
}
