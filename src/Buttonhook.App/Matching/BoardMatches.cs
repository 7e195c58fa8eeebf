using Buttonhook.App.Images;
using Buttonhook.App.Keeping;
using Buttonhook.App.Preparing;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Core.Matching;
using Buttonhook.Storage;

namespace Buttonhook.App.Matching;

/// <summary>The images for a board, with what real boots and dry boots say of them.</summary>
public sealed class BoardMatches(BootStore boots, Catalogue catalogue, CardStarts cardStarts, ImageLooks looks, Profiles profiles)
{
    private IReadOnlyList<BootTally>? tallies;

    /// <summary>The images for a board with their record of real boots; what is wanted is as the bench is when nobody says otherwise.</summary>
    public IReadOnlyList<Match> Of(Board board, Wish? wish = null) =>
        Matcher.Match(
            board,
            catalogue,
            BootRecord.Of(board, catalogue, tallies ??= [.. boots.Tallies(), .. Experiences.Tallies(profiles.Added)]),
            wish ?? Wish.Usual(board),
            Played(board)
        );

    /// <summary>The dry boots of images with a file of their own on this board, as far as they were looked into.</summary>
    private Dictionary<string, DryBoot> Played(Board board)
    {
        var known = new Dictionary<string, DryBoot>();
        if (DryBoards.Of(board, catalogue).Value is not { } dry)
            return known;
        foreach (var image in catalogue.Images)
            if (
                image is { Path: { } path, Kind: not "installer" }
                && image.InstructionSet == dry.Architecture
                && File.Exists(path)
                && looks.Known(path, dry) is { } played
            )
                known[image.Id] = played;
        return known;
    }

    /// <summary>The edits that would mend the card of a board: as its dry boot found them, else as that of the image file.</summary>
    public IReadOnlyList<Mend> Mends(BenchBoard bench)
    {
        var (broken, where) = Broken(bench);
        return [.. broken.Where(s => s is { Cause: not null, Edit: not null }).Select(s => new Mend(s.Cause!, where, s.Edit!))];
    }

    /// <summary>The links that a dry boot of the card of a board found broken, else that of the image file; and what was looked into.</summary>
    public (IReadOnlyList<DryStep> Broken, string Where) Broken(BenchBoard bench) =>
        cardStarts.Of(bench.Board, catalogue) is { Broken: { } onCard } ? (onCard, "the card that was written here")
        : bench.Board.ImageId is { } image && Played(bench.Board).GetValueOrDefault(image) is { } played
            ? (played.Broken, $"the file of {catalogue.Image(image)?.Title}")
        : ([], "");
}

/// <summary>The very edit that mends a cause, as a dry boot found it.</summary>
/// <param name="Where">What was looked into: the card that was written here, or the image file.</param>
public sealed record Mend(string CauseId, string Where, FileEdit Edit);
