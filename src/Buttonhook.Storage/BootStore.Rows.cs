using System.Globalization;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Storage;

/// <summary>How a boot lies in its row.</summary>
public sealed partial class BootStore
{
    private sealed record Row(
        string Id,
        string BoardId,
        long Number,
        long CardNumber,
        string ModelId,
        string RevisionId,
        string? ImageId,
        string Source,
        string StartedAt,
        string? EndedAt,
        string? EndedWhy,
        string? Outcome,
        string? LastStage,
        string Stages,
        string? TopCause,
        long? LongestQuiet,
        string? EndKind,
        long? EndQuiet,
        long PowerAt,
        string? Summary,
        string? Origin,
        string? Port
    );

    private const string Columns = """
        id AS Id, board_id AS BoardId, number AS Number, card_number AS CardNumber, model_id AS ModelId, revision_id AS RevisionId,
        image_id AS ImageId, source AS Source, started_at AS StartedAt, ended_at AS EndedAt, ended_why AS EndedWhy, outcome AS Outcome,
        last_stage AS LastStage, stages AS Stages, top_cause AS TopCause, longest_quiet AS LongestQuiet,
        end_kind AS EndKind, end_quiet AS EndQuiet, power_at AS PowerAt, summary AS Summary, origin AS Origin, port AS Port
        """;

    private static Boot Read(Row r)
    {
        Outcome? outcome = r.Outcome is null ? null : Enum.Parse<Outcome>(r.Outcome);
        Stage? last = r.LastStage is null ? null : Enum.Parse<Stage>(r.LastStage);
        var stages = JsonSerializer.Deserialize<StageReached[]>(r.Stages, DataFile.Json) ?? [];
        var summary =
            r.Summary is not null && outcome is { } ended
                ? JsonSerializer.Deserialize<BesideColumns>(r.Summary, DataFile.Json)?.With(ended, last, stages)
                : null;
        return new(
            r.Id,
            r.BoardId,
            (int)r.Number,
            (int)r.CardNumber,
            r.ModelId,
            r.RevisionId,
            r.ImageId,
            r.Source,
            DateTimeOffset.Parse(r.StartedAt, CultureInfo.InvariantCulture),
            r.EndedAt is null ? null : DateTimeOffset.Parse(r.EndedAt, CultureInfo.InvariantCulture),
            r.EndedWhy,
            outcome,
            last,
            stages,
            r.TopCause,
            (int?)r.LongestQuiet,
            r.EndKind is null ? null : Enum.Parse<CaptureEnd>(r.EndKind),
            (int?)r.EndQuiet,
            (int)r.PowerAt,
            summary,
            r.Origin is null ? null : Enum.Parse<TimeOrigin>(r.Origin),
            r.Port is null ? null : JsonSerializer.Deserialize<CapturedPort>(r.Port, DataFile.Json)
        );
    }

    /// <summary>What a summary tells beside the columns of its boot, which hold outcome and stages.</summary>
    private sealed record BesideColumns(
        bool Waiting,
        bool Quiet,
        RankedCause? Top,
        int? LastArrival,
        int? SagLine,
        double? SagVolts,
        bool StartSeen = true,
        bool Counts = true,
        bool Helped = false
    )
    {
        public static BesideColumns Of(BootSummary s) =>
            new(s.Waiting, s.Quiet, s.Top, s.LastArrival, s.SagLine, s.SagVolts, s.StartSeen, s.Counts, s.Helped);

        public BootSummary With(Outcome outcome, Stage? last, IReadOnlyList<StageReached> stages) =>
            new(outcome, last, Waiting, Quiet, stages, Top, LastArrival, SagLine, SagVolts, StartSeen, Counts, Helped);
    }
}
