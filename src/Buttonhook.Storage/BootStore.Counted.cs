using System.Security.Cryptography;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>One boot as statistics count it.</summary>
/// <param name="LoginSeconds">From power to the login; null without arrival times or without a login.</param>
/// <param name="Connected">What was at the board as it began; null for boots of earlier versions.</param>
public sealed record CountedBoot(
    string ModelId,
    string RevisionId,
    string? ImageId,
    Outcome Outcome,
    string? TopCause,
    double? LoginSeconds,
    Core.Boards.Connected? Connected
)
{
    /// <summary>Whether it reached the login, be it with a fault.</summary>
    public bool Good => Outcome is Outcome.ReachedLogin or Outcome.Degraded;
}

/// <summary>What is told of boots as a whole: how they are counted, and the sum of their bytes.</summary>
public sealed partial class BootStore
{
    // What is computed has no declared type in SQLite, so the columns are set by name and not through a constructor.
    private sealed class StatisticsRow
    {
        public string ModelId { get; init; } = "";
        public string RevisionId { get; init; } = "";
        public string? ImageId { get; init; }
        public string Outcome { get; init; } = "";
        public string? TopCause { get; init; }
        public double? Seconds { get; init; }
        public string? Connected { get; init; }
    }

    /// <summary>Every boot that ended with an outcome of its own, for statistics: cut captures and a garbled line count for nothing.</summary>
    public IReadOnlyList<CountedBoot> Counted()
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<StatisticsRow>(
                    """
                    SELECT model_id AS ModelId, revision_id AS RevisionId, image_id AS ImageId, outcome AS Outcome, top_cause AS TopCause,
                      (SELECT json_extract(s.value, '$.milliseconds') / 1000.0 FROM json_each(stages) AS s WHERE json_extract(s.value, '$.stage') = 'login') AS Seconds,
                      connected AS Connected
                    FROM boots
                    WHERE outcome IS NOT NULL AND outcome NOT IN ('Cut', 'Garbled') AND removed_at IS NULL AND COALESCE(top_cause, '') NOT LIKE 'console-%'
                    """
                )
                .Select(r => new CountedBoot(
                    r.ModelId,
                    r.RevisionId,
                    r.ImageId,
                    Enum.Parse<Outcome>(r.Outcome),
                    r.TopCause,
                    r.Seconds,
                    r.Connected is null ? null : JsonSerializer.Deserialize<Core.Boards.Connected>(r.Connected, DataFile.Json)
                )),
        ];
    }

    /// <summary>SHA-256 of the bytes of a boot as they were received, in small hexadecimal digits.</summary>
    public string Sha256(string bootId)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        foreach (var piece in Pieces(bootId))
            hash.AppendData(piece.Bytes);
        return Convert.ToHexStringLower(hash.GetHashAndReset());
    }
}
