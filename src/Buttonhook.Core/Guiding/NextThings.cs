using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Core.Matching;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Guiding;

/// <summary>Computes the next thing from the state of a board; a person may look at any step, and the step changes what is asked first.</summary>
public static class NextThings
{
    private const string PowerOff = "Take power off before the card comes out.";

    /// <summary>The next thing for a board, seen from a step.</summary>
    public static NextThing For(WorkStep step, Board board, Catalogue catalogue, IReadOnlyList<Match> matches, BootState? boot, Proof proof)
    {
        if (catalogue.Model(board.ModelId) is not { } model)
            return new(
                "Say which board this is",
                ["Its model is no longer in the catalogue."],
                NextAction.Open,
                "Identify it",
                "identify",
                1
            );
        var image = catalogue.Image(board.ImageId);
        if (image is null)
            return WithoutImage(step, board, model, catalogue, matches, boot);
        if (
            step == WorkStep.Match
            && boot is null
            && matches.FirstOrDefault(m => m.Image.Id == image.Id) is { Verdict: Verdict.WillNotStart } wrong
        )
            return TakeImage(board, catalogue, matches) with
            {
                Why = [$"{wrong.Image.Title} will not start here. {wrong.Reasons[0].Text}", .. TakeImage(board, catalogue, matches).Why],
            };
        // A card that is being written, or was half written, is no card whatever was booted before.
        if (proof.Card is CardState.BeingWritten or CardState.HalfWritten)
            return Card(step, image, catalogue, proof);
        return boot is null
            ? proof.OnCard
                ? BeforeBoot(step, board, model, image, catalogue, matches, proof)
                : Card(step, image, catalogue, proof)
            : AfterBoot(step, board, model, image, catalogue, boot);
    }

    private static NextThing WithoutImage(
        WorkStep step,
        Board board,
        BoardProfile model,
        Catalogue catalogue,
        IReadOnlyList<Match> matches,
        BootState? boot
    ) =>
        boot switch
        {
            { Settled: true, Corrected: false, Kept: false, Top: { Correction: not null } top } => Mend(board, model, catalogue, boot, top),
            { Settled: true, Kept: false, Uncounted: false, Outcome: Outcome.ReachedLogin or Outcome.Degraded } => Keep(step, board, boot),
            _ => TakeImage(board, catalogue, matches),
        };

    /// <summary>A boot that goes on or ended, of a card that holds the chosen image.</summary>
    private static NextThing AfterBoot(
        WorkStep step,
        Board board,
        BoardProfile model,
        ImageProfile image,
        Catalogue catalogue,
        BootState boot
    ) =>
        boot switch
        {
            { Live: true, Settled: false } => new(
                $"Watch {board.Nickname} boot",
                [$"It is at {StageWords.Of(boot.LastStage)}. The silence meter tells how long a quiet time is still usual."],
                NextAction.Open,
                step == WorkStep.Boot ? "" : "Open the console",
                "boot",
                Minutes(image)
            ),
            { Kept: true } => new(
                "Put the next board on the bench",
                [$"The working settings of {board.Nickname} are kept. The next one of this revision takes minutes."],
                NextAction.NewBoard,
                "Next board",
                null,
                1
            ),
            { HelpedUp: true, Corrected: false } => new(
                "Correct the card",
                [
                    $"With what was tried by hand, {board.Nickname} came to its login. A restart undoes it.",
                    "Put the same onto the card, then boot without a hand: that boot counts.",
                ],
                NextAction.Open,
                step == WorkStep.Prepare ? "" : "See the edit",
                "prepare",
                5
            ),
            { Attached: true } => Boot(
                $"Restart {board.Nickname} while its console is open",
                [
                    "The console was opened when the board ran already: its start was not seen, so this counts for no boot.",
                    "Restart it, or mark the moment of power. First login and addresses work from here all the same.",
                ],
                board,
                image,
                model
            ),
            { Corrected: true } => Boot(
                "Boot again",
                [$"What was wrong is noted as corrected. {board.Nickname} should come further now."],
                board,
                image,
                model
            ),
            { Outcome: Outcome.Cut, Top: null } => Boot(
                $"Boot {board.Nickname} again and let it run",
                [
                    $"The capture ended while the board was on its way, at {StageWords.Of(boot.LastStage)}: that says nothing of the board.",
                    "Let it run to the login, or until it has been quiet for two minutes.",
                ],
                board,
                image,
                model
            ),
            { Outcome: Outcome.ReachedLogin or Outcome.Degraded } when boot.Top is null or { Correction: null } => Keep(step, board, boot),
            { Top: { Correction: not null } top } => Mend(board, model, catalogue, boot, top),
            _ => Boot(
                "Boot once more",
                ["No rule explains this boot. A second log shows whether it stops at the same line."],
                board,
                image,
                model
            ),
        };

    /// <summary>The likeliest cause of the newest boot, and what mends it.</summary>
    private static NextThing Mend(Board board, BoardProfile model, Catalogue catalogue, BootState boot, RankedCause top) =>
        new(
            top.Fix.Split(';')[0].TrimEnd('.'),
            [
                $"{top.Name}, {Words.Percent(top.Probability)}.{ProofOf(top)}",
                .. top.Id == CauseIds.SupplyTooWeak && SupplyCheck.Check(board.Connected, model.Power, catalogue) is { Enough: true } paper
                    ? [$"On paper the supply is enough ({paper.Text}) So look at the cable and its contacts first."]
                    : Array.Empty<string>(),
                boot.Outcome is Outcome.Degraded or Outcome.ReachedLogin ? "The login works all the same; it can be kept as it is."
                : top.Answer == CheckAnswer.Yes ? "An answer found it."
                : $"To confirm it first: {top.NextCheck}",
            ],
            NextAction.Correct,
            board.Simulated ? "Correct it" : "Say what was changed",
            top.Id,
            top.CheckMinutes,
            top.Caution
        );

    private static NextThing TakeImage(Board board, Catalogue catalogue, IReadOnlyList<Match> matches)
    {
        if (catalogue.Images.Count == 0)
            return new(
                "Bring an image",
                ["The image shelf is empty. Name an image file by its path, or drop it there: what it is for is read from it."],
                NextAction.Open,
                "Look at Match",
                "match",
                3
            );
        if (matches.FirstOrDefault(m => m.Verdict <= Verdict.FitsAfterChange) is not { } best)
            return matches.FirstOrDefault(m => m.Verdict == Verdict.Unproven) is { } maybe
                ? new(
                    "Look at the images that may fit",
                    [$"None is known to fit. {maybe.Image.Title}: {maybe.Reasons[0].Text}"],
                    NextAction.Open,
                    "See which",
                    "match",
                    2
                )
                : new("Find another image", ["No image on the shelf fits this board."], NextAction.Open, "See why", "match", 2);
        var record = best.Record;
        List<string> why = [];
        if (record.Tries > 0)
            why.Add(
                $"{record.Successes} of {record.Tries} boots on this revision reached the login (at least {Words.Percent(record.LowerEnd)} expected)."
            );
        else
            why.Add("No boot of it on this revision is on record yet.");
        why.Add(best.Verdict == Verdict.Fits ? "Nothing needs changing." : best.Reasons[0].Text);
        var size = $"Download {Sizes.Decimal(best.Image.DownloadBytes)}, expands to {Sizes.Binary(best.Image.ExpandedBytes)}.";
        var minutes = 1;
        if (board.Connected.CardGb is { } card)
        {
            var plan = CardPlan.For(best.Image, card, catalogue.CardBand);
            size += $" On your {card} GB card, {Sizes.Binary(plan.FreeBytes)} stay free.";
            minutes = Minutes(plan.WriteSeconds);
        }
        why.Add(size);
        return new($"Take {best.Image.Title}", why, NextAction.ChooseImage, "Take it", best.Image.Id, minutes, "Writing erases the card.");
    }

    /// <summary>The image is chosen and not on a card, as far as anything shows.</summary>
    private static NextThing Card(WorkStep step, ImageProfile image, Catalogue catalogue, Proof proof)
    {
        var minutes = Minutes(CardPlan.For(image, image.SmallestCardGb, catalogue.CardBand).WriteSeconds);
        var label = step == WorkStep.Prepare ? "" : "Prepare the card";
        return proof.Card switch
        {
            CardState.BeingWritten => new(
                "Wait for the card",
                [proof.CardSays ?? $"{image.Title} is being written.", "Leave the card in its slot until it was read back."],
                NextAction.Open,
                step == WorkStep.Prepare ? "" : "Look at it",
                "prepare",
                minutes
            ),
            CardState.HalfWritten => new(
                "Write the card again",
                [proof.CardSays ?? "The writing did not come to its end.", "Until then the card is half written: do not boot from it."],
                NextAction.Open,
                label,
                "prepare",
                minutes,
                step == WorkStep.Prepare ? null : "Writing erases the card."
            ),
            _ => new(
                "Prepare and write the card",
                [
                    $"{image.Title} is chosen; nothing shows yet that it is on a card.",
                    "Set what should hold from the first boot, then write it here, or say that it was written elsewhere.",
                ],
                NextAction.Open,
                label,
                "prepare",
                minutes,
                step == WorkStep.Prepare ? null : "Writing erases the card."
            ),
        };
    }

    private static NextThing BeforeBoot(
        WorkStep step,
        Board board,
        BoardProfile model,
        ImageProfile image,
        Catalogue catalogue,
        IReadOnlyList<Match> matches,
        Proof proof
    )
    {
        var adapter = catalogue.Adapter(board.Connected.AdapterId);
        if (adapter is not null && ConsoleWires.Check(adapter, model.Console).Refused is { } refused)
            return new(
                "Use another console adapter",
                [refused],
                NextAction.Open,
                "Look at the wires",
                "connect",
                2,
                "Take power off before moving wires."
            );
        var supply = SupplyCheck.Check(board.Connected, model.Power, catalogue, proof.Sag);
        if (supply.Enough == false)
            return new(
                supply.ChangeTitle ?? SupplyCheck.AnotherSupply,
                supply.Change is { } better ? [supply.Text, better] : [supply.Text],
                NextAction.Open,
                "Look at the supply",
                "connect",
                2,
                "Never open a mains adapter."
            );
        var change = matches
            .FirstOrDefault(m => m.Image.Id == image.Id)
            ?.Reasons.FirstOrDefault(r => r.Bearing is Bearing.Change or Bearing.Stops);
        if (!proof.BytesRead && step is WorkStep.Match or WorkStep.Prepare)
            return new(
                "Wire the console and the supply",
                [
                    OnCard(image, proof),
                    adapter is null ? "No console adapter is chosen yet." : "The wires and the supply are drawn with their reasons.",
                ],
                NextAction.Open,
                "Wires and supply",
                "connect",
                3,
                "Take power off before moving wires."
            );
        return Boot(
            $"Boot {board.Nickname}",
            [
                image.FirstBootSeconds is [var usual, var longest]
                    ? $"{OnCard(image, proof)} Usually {usual} to {longest} s to the login at the first boot."
                    : $"{OnCard(image, proof)} How long its first boot takes is not known yet.",
                change is null ? "Open the console before power: an empty window is right until then." : $"Mind: {change.Text}",
            ],
            board,
            image,
            model
        );
    }

    /// <summary>How it is known that the image is on the card.</summary>
    private static string OnCard(ImageProfile image, Proof proof) =>
        proof.Card switch
        {
            CardState.Written => $"{image.Title} was written to the card and read back equal.",
            CardState.Told => $"{image.Title} is on the card, as you say.",
            _ => $"{image.Title} started from this card before.",
        };

    private static NextThing Boot(string title, IReadOnlyList<string> why, Board board, ImageProfile image, BoardProfile model) =>
        new(
            title,
            why,
            NextAction.StartBoot,
            board.Simulated ? "Boot it" : "Open the console",
            null,
            Minutes(image),
            model.Console.Level is ConsoleLevel.Rs232 or ConsoleLevel.Logic18 or ConsoleLevel.Unknown
                ? ConsoleWires.CautionFor(model.Console.Level)
                : PowerOff
        );

    private static NextThing Keep(WorkStep step, Board board, BootState boot) =>
        new(
            "Keep what worked",
            [
                $"{board.Nickname} reached the login{(boot.LoginSeconds is { } s ? $" after {s} s" : "")}.",
                "Image, card, console, kernel, root device, times and changes are filled in from the log.",
            ],
            NextAction.Open,
            step == WorkStep.Keep ? "" : "Keep the settings",
            "keep",
            1,
            "Change default passwords before others can reach it."
        );

    private static string ProofOf(RankedCause cause)
    {
        var lines = cause.Evidence.Select(e => e.Line).Where(l => l > 0).Distinct().Order().Take(3).ToList();
        return lines.Count switch
        {
            0 => "",
            1 => $" Line {lines[0]} proves it.",
            _ => $" Lines {string.Join(", ", lines[..^1])} and {lines[^1]} prove it.",
        };
    }

    /// <summary>How long its first boot takes; 0 when nobody states it.</summary>
    private static int Minutes(ImageProfile image) => image.FirstBootSeconds is [var usual, ..] ? Minutes(usual) : 0;

    private static int Minutes(int seconds) => Math.Max(1, (int)Math.Ceiling(seconds / 60.0));
}
