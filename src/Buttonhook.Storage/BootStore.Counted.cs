using System.Security.Cryptography;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Keeping;
using Dapper;

namespace Buttonhook.Storage;

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

    /// <summary>Every boot that counts, for statistics (the view counted_boots).</summary>
    public IReadOnlyList<CountedBoot> Counted()
    {
        using var connection = database.Connect();
        return
        [
            .. connection
                .Query<StatisticsRow>(
                    """
                    SELECT model_id AS ModelId, revision_id AS RevisionId, image_id AS ImageId, outcome AS Outcome, top_cause AS TopCause,
                      login_seconds AS Seconds, connected AS Connected
                    FROM counted_boots
                    """
                )
                .Select(r => new CountedBoot(
                    r.ModelId,
                    r.RevisionId,
                    r.ImageId,
                    Enum.Parse<Outcome>(r.Outcome),
                    r.TopCause,
                    r.Seconds,
                    r.Connected is null ? null : JsonSerializer.Deserialize<Connected>(r.Connected, DataFile.Json)
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
