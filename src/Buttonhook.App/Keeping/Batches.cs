using Buttonhook.App.Boards;
using Buttonhook.App.Consoles;
using Buttonhook.App.Preparing;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;

namespace Buttonhook.App.Keeping;

/// <summary>Batches as the page shows them.</summary>
public sealed class Batches(
    BatchStore batches,
    BoardStore boards,
    SettingsStore settings,
    PreparationStore preparations,
    Captures captures,
    BoardViews views,
    Standings standings,
    Runs runs,
    CardSlots slots,
    Catalogue catalogue
)
{
    /// <summary>What of a record is the same for every board of a batch, in the order of the work.</summary>
    private static readonly string[] Repeated =
    [
        "board.model",
        "board.revision",
        "image.name",
        "card.label",
        "console.adapter",
        "supply.name",
        "supply.cable",
        "first.user",
        "first.recipe",
    ];

    /// <summary>What each board must have for itself, in words.</summary>
    private static readonly string[] Own =
    [
        "Host name: two of one name cannot be told apart.",
        "Address: a fixed one is set by hand, a leased one comes by itself.",
        "Identifiers and keys: the image makes its machine id and its host keys at the first boot; a copied card would have the same ones twice, so each card is written from the image.",
    ];

    /// <summary>One batch, or null.</summary>
    public BatchView? Of(string id)
    {
        if (batches.Find(id) is not { } batch)
            return null;
        var kept = settings.Of(batch.SourceBoardId).FirstOrDefault(v => v.Version == batch.SourceVersion);
        var bench = views.Bench().ToDictionary(b => b.Id);
        var held = batch.BoardIds.Select(boards.Find).OfType<BenchBoard>().ToList();
        var source = boards.Find(batch.SourceBoardId)?.Board.Nickname ?? kept?.Settings.Nickname ?? batch.SourceBoardId;
        return new(
            batch.Id,
            batch.Name,
            batch.MadeAt,
            $"{source}, version {batch.SourceVersion}",
            batch.SourceBoardId,
            [
                .. Repeated
                    .SelectMany(k => kept?.Settings.Settings.Where(s => s.Kind == k && s.Counts is not null) ?? [])
                    .Select(s => $"{s.Name}: {s.Counts}{Others(s, held, batch.BoardIds.Count)}"),
            ],
            Own,
            [.. batch.BoardIds.Select(b => Board(b, bench.GetValueOrDefault(b), kept?.Settings))],
            slots.All(catalogue.Image(kept?.Settings.Bench?.ImageId))
        );
    }

    /// <summary>Which boards of a batch hold something else than the record says; empty when none does.</summary>
    private string Others(Setting setting, IReadOnlyList<BenchBoard> held, int all)
    {
        var holds = held.Select(b => (b.Board.Nickname, Value: OnBench(setting.Kind, b.Board)));
        var others = holds.Where(h => h.Value is not null && h.Value != setting.Counts).GroupBy(h => h.Value!).ToList();
        return string.Concat(
            others.Select(o =>
                o.Count() == all
                    ? $" in the record, and {o.Key} on every bench"
                    : $"; {string.Join(", ", o.Select(h => h.Nickname))}: {o.Key}"
            )
        );
    }

    /// <summary>What the bench of a board holds of a kind of setting; null when that is nothing of the bench.</summary>
    private string? OnBench(string kind, Board board) =>
        kind switch
        {
            "board.revision" => board.RevisionId,
            "image.name" => catalogue.Image(board.ImageId)?.Title ?? "no image",
            "card.label" => board.Connected.CardGb is { } gb ? $"{gb} GB" : "a card of unknown size",
            "console.adapter" => catalogue.Adapter(board.Connected.AdapterId)?.Name ?? "no adapter",
            "supply.name" => catalogue.Supply(board.Connected.SupplyId)?.Name ?? "no supply",
            "supply.cable" => catalogue.Cables.FirstOrDefault(c => c.Id == board.Connected.CableId)?.Name ?? "no cable",
            _ => null,
        };

    private BatchBoardView Board(string id, BoardSummary? summary, WorkingSettings? record)
    {
        if (summary is null || boards.Find(id) is not { } bench)
            return new(id, true, id, null, null, null, CardState.NoImage, 0, null, null, [], []);
        var all = captures.Of(id);
        var newest = all.FirstOrDefault(b => b.CardNumber == bench.CardNumber);
        var proof = standings.ProofOf(bench, all);
        var cause =
            proof.Card == CardState.HalfWritten ? $"Card half written: {proof.CardSays}"
            : newest?.TopCause is { } top and not "none" ? captures.Book.Cause(top)?.Name
            : null;
        var reading = newest is null ? null : captures.With(newest.Id, r => r.Reading);
        var login = reading?.StageLines.FirstOrDefault(s => s.Stage == Stage.Login)?.Milliseconds;
        return new(
            id,
            false,
            bench.Board.Nickname,
            preparations.Of(id).Set.HostName,
            reading?.Facts.Hostname,
            summary,
            proof.Card,
            all.Count,
            login / 1000.0,
            cause,
            reading?.Facts.Addresses ?? [],
            newest is null || record is null || runs.Known(bench, newest) is not { } now
                ? []
                :
                [
                    .. Elsewhere(preparations.Of(id).Set.Address, reading?.Facts.Addresses ?? []),
                    .. SettingsDifference
                        .Regression(record, now) // A first boot grows and makes keys: it takes its own time.
                        .Where(d => !OfEachBoard.Contains(d.Kind) && !d.Kind.StartsWith("time.", StringComparison.Ordinal))
                        .Select(d => d.Says),
                ]
        );
    }

    /// <summary>That a board answers at another address than it was set to; nothing before it said any.</summary>
    private static IEnumerable<string> Elsewhere(FixedAddress? set, IReadOnlyList<string> says)
    {
        if (set is not null && says.Count > 0 && set.Addresses.All(a => !says.Contains(a.Split('/')[0])))
            yield return $"Address: {set.Address} is set, the board says {string.Join(", ", says)}.";
    }

    /// <summary>What each board of a batch has for itself.</summary>
    private static readonly HashSet<string> OfEachBoard =
    [
        "system.host",
        "first.host",
        "first.address",
        "network.address",
        "board.told-by",
        "image.name",
        "supply.margin",
    ];
}
