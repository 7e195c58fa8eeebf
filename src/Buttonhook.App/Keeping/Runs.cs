using Buttonhook.App.Boards;
using Buttonhook.App.Consoles;
using Buttonhook.App.Preparing;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;

namespace Buttonhook.App.Keeping;

/// <summary>Puts together what is known of a boot, for its working settings.</summary>
public sealed class Runs(
    Standings standings,
    Fixes fixes,
    BootStore boots,
    Captures captures,
    Catalogue catalogue,
    PreparationStore store,
    Preparations preparations,
    CardWriter writer,
    PhotoStore photos,
    KnowledgeFiles knowledge
)
{
    /// <summary>The boot that settings would be kept of: the newest of this card that reached the login, else the newest of all; null without any.</summary>
    public static Boot? Of(BenchBoard bench, IReadOnlyList<Boot> newest) =>
        newest.FirstOrDefault(b => b.CardNumber == bench.CardNumber && b.LastStage == Stage.Login) ?? newest.FirstOrDefault();

    /// <summary>The settings of a boot as its run tells them; a boot without a login, or one of a model that is gone, is a problem.</summary>
    public Answer<WorkingSettings> Draft(BenchBoard bench, Boot boot) => With(bench, boot, boots.Sha256(boot.Id), SettingsMaker.From);

    /// <summary>What is known of a boot, however it ended, without the sum of its log; null when its model is gone.</summary>
    public WorkingSettings? Known(BenchBoard bench, Boot boot) =>
        With(bench, boot, null, run => (Answer<WorkingSettings>)SettingsMaker.Of(run)).Value;

    private Answer<WorkingSettings> With(BenchBoard bench, Boot boot, string? sum, Func<Run, Answer<WorkingSettings>> make)
    {
        if (catalogue.Model(boot.ModelId) is not { } model)
            return new Problem("The board's model should be in the catalogue.", $"{boot.ModelId} is not.", "Identify the board again.");
        // Card and preparation are known as they are now: of an earlier card they would tell another one's.
        var sameCard = boot.CardNumber == bench.CardNumber;
        var write = writer.Of(bench.Board.Id);
        var (set, chosen, version) = store.Of(bench.Board.Id);
        // What was set as this very card was written; what is set now is that of the next one.
        var written = store.Before(bench.Board.Id, boot.CardNumber, boot.StartedAt);
        if (written?.Set is { } then)
            (set, chosen, version) = (then, written.Recipes ?? [], Math.Max(version, 1));
        var made = captures.With<object>(
            boot.Id,
            read =>
                make(
                    new Run(
                        bench.Board with
                        {
                            ImageId = boot.ImageId,
                        },
                        model,
                        catalogue,
                        catalogue.Image(boot.ImageId),
                        sameCard ? standings.ProofOf(bench).Card : CardState.Chosen,
                        sameCard && write?.CardNumber == boot.CardNumber && write.SlotId != CardSlots.CopyId ? write : null,
                        (sameCard || written?.Set is not null) && version > 0 ? set : null,
                        sameCard || written?.Set is not null ? [.. preparations.Recipes().Where(r => chosen.Contains(r.Id))] : [],
                        sameCard ? fixes.Of(bench) : [],
                        read.Reading,
                        read.Log,
                        boot.Source,
                        sum,
                        boot.StartedAt,
                        [
                            .. photos
                                .Of(bench.Board.Id)
                                .Select(p =>
                                    p.Says.Length > 0
                                        ? p.Says
                                        : string.Create(System.Globalization.CultureInfo.InvariantCulture, $"of {p.AddedAt:yyyy-MM-dd}")
                                ),
                        ],
                        captures.StartsIn(read),
                        SystemReads.Of(read.Log, knowledge.Commands)
                    )
                )
        );
        return made is Answer<WorkingSettings> answer
            ? answer
            : new Problem("The bytes of this boot should be kept.", "They are gone.", "Boot it again.");
    }
}
