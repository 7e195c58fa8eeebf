using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging.Chain;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Images.Judging;

/// <summary>Plays the boot of an image on a board without starting it, link by link; it goes on behind a broken link wherever it still can.</summary>
internal static class DryBooter
{
    /// <summary>The chain, in the order in which a board comes to each link.</summary>
    private static readonly ILink[] Chain =
    [
        new WholeImage(),
        new StartableImage(),
        new FirstLoaderPresent(),
        new LoaderFindsSystem(),
        new MemorySuffices(),
        new InitialFilesUnpack(),
        new RootIsNamed(),
        new TableForKernel(),
        new DiskAppears(),
        new RootOpens(),
        new RootMounts(),
        new FirstProgramRuns(),
        new SystemIsAsked(),
        new ModulesFitKernel(),
        new MountTableHolds(),
        new ConsoleSpeaks(),
        new LoginWaits(),
    ];

    /// <summary>Plays the boot; where nobody knows how the board's loader finds a system, every way is tried and the one that comes furthest counts, as a guess.</summary>
    public static (DryRun Run, DryBoot Dry) Play(
        ImageBytes image,
        PartitionTable table,
        IReadOnlyList<Volume> volumes,
        DryBoard board,
        Func<Stream, Stream?> unpack
    )
    {
        (DryRun Run, DryBoot Dry) By(string loader) => Along(new(image, table, volumes, board with { Loader = loader }, unpack));
        if (board.Loader is not null)
            return By(board.Loader);
        var ways = board.Architecture == InstructionSet.Amd64 ? (string[])["efi", "bios"] : ["distro", "keyvalue", "efi"];
        var best = ways.Select(By)
            .OrderBy(w => w.Dry.Verdict == DryVerdict.DoesNotBoot)
            .ThenByDescending(w => w.Run.Starts)
            .ThenByDescending(w => w.Dry.Steps.Count(s => s.Result == LinkResult.Passed))
            .First();
        var guess = new DryStep(
            "way of the loader",
            Stage.SecondLoader,
            LinkResult.CannotTell,
            $"Nobody knows how this board's loader finds a system. {(best.Dry.Verdict == DryVerdict.DoesNotBoot ? "No way that is known here leads through; this one comes furthest" : "It goes through")} {Way(best.Run.Board.Loader)}.",
            null
        );
        return (best.Run, new(best.Dry.Verdict == DryVerdict.Boots ? DryVerdict.CannotTell : best.Dry.Verdict, [guess, .. best.Dry.Steps]));
    }

    private static string Way(string? loader) =>
        loader switch
        {
            "efi" => "by an EFI program",
            "bios" => "by the first sectors of the disk",
            "keyvalue" => "by a key=value configuration",
            _ => "by extlinux.conf or a boot script",
        };

    private static (DryRun, DryBoot) Along(DryRun run)
    {
        foreach (var link in Chain)
        {
            if (run.Ended)
                break;
            run.Link = link;
            try
            {
                link.Check(run);
            }
            catch (NotReadHereException e)
            {
                run.CannotTell(Stage.Root, $"Something that decides cannot be read: {e.Message}.", null);
            }
            catch (UnreadableException e)
            {
                run.CannotTell(Stage.Root, $"The image cannot be read further: {e.Message}.", null);
                run.End();
            }
            // What could not be read may be what the loader wanted: nothing behind it has any ground then.
            if (link is LoaderFindsSystem && run.Handover is null)
                run.End();
        }
        return (run, new(run.Verdict, run.Steps));
    }
}
