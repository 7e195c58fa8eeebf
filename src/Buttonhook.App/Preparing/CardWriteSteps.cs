using System.Text;
using Buttonhook.App.Images;
using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;
using Buttonhook.Hardware.Cards;
using Buttonhook.Storage;

namespace Buttonhook.App.Preparing;

/// <summary>What is written where.</summary>
/// <param name="Drive">The slot of the drive that takes the root, or null.</param>
internal sealed record CardTask(BenchBoard Bench, ImageProfile Image, CardSlot Slot, CardSlot? Drive, CardOrder Order);

/// <summary>The steps by which a card is written: look, check, write, read back, first-boot files, dry boot.</summary>
public sealed class CardWriteSteps(
    BoardStore boards,
    CardSlots slots,
    StandInImages files,
    ImageLooks looks,
    Unpacked unpacked,
    Profiles profiles,
    Preparations preparations,
    CardAssembly assembly,
    Database database,
    TimeProvider clock
)
{
    /// <summary>Everything in order; the problem that stopped it, or null when the card is ready.</summary>
    internal async Task<Problem?> Run(CardWriteJob job, CardTask task, CancellationToken token)
    {
        var (bench, image, slot, _, order) = task;
        var board = DryBoards.Of(bench.Board, profiles.Catalogue);
        var dry = board.Value;
        if (order.Layout is StorageLayout.BootMenu or StorageLayout.LoaderOnCard)
        {
            // Such a card follows the board's own loader; without knowing it, it cannot be put together.
            if (dry is null)
                return board.Problem;
            if (await assembly.Run(job, task, dry, token) is { } not)
                return not;
            Chosen(job, task);
            return null;
        }
        var source = files.FileOf(image, profiles.Catalogue);
        if (source.Value is not { } path)
            return source.Problem;
        var raw = image.Kind != "installer";
        if (raw && await BreaksAlready(job, bench, image, path, dry, order, token) is { } breaks)
            return breaks;
        // What cannot be written at the end is refused before anything is erased.
        if (
            raw
            && preparations
                .Plan(bench.Board, image, await looks.Look(path, dry).WaitAsync(token))
                .Problems.FirstOrDefault(p => p.Field == Preparations.OnRoot)
                is { } unwritable
        )
            return new("What is set should be written onto the card.", unwritable.Text, "Leave it empty, or choose another image.");
        if (CheckDownload(job, image, path, token) is { } wrong)
            return wrong;
        var opened = slots.Open(slot, image, token);
        if (opened.Value is not { } card)
            return opened.Problem;
        using (card)
        {
            if (raw && image.ExpandedBytes > card.Length)
                return CardTroubles.TooSmall(image, card.Length);
            if (order.CheckSize && CheckSize(job, card) is { } less)
                return less;
            var failed = raw
                ? await WriteRaw(job, path, card, token)
                : InstallerCard.Write(job, path, files.IsStandIn(image), image, card, clock.GetLocalNow().DateTime, token);
            if (failed is not null)
                return failed;
            if (raw)
            {
                if (FirstBoot(job, bench, image, path, dry, card) is { } refused)
                    return refused;
                if (dry is not null)
                {
                    job.Begin(WriteStep.DryBoot, 0);
                    job.State = job.State with { After = DryBoot.Play(card, dry, ImageFiles.Unpack) };
                }
            }
            card.Flush();
        }
        Chosen(job, task);
        return null;
    }

    private void Chosen(CardWriteJob job, CardTask task)
    {
        // A copy beside the image is no card: what is in the board stays what it is.
        if (task.Slot.Id == CardSlots.CopyId)
            return;
        using var unit = database.Begin();
        boards.ChooseImage(task.Bench.Board.Id, task.Image.Id);
        // What was written here is in the board, as large as it was measured.
        if (job.State.CardBytes is { } bytes)
            boards.NoteCard(task.Bench.Board.Id, Sizes.CardLabel(bytes));
        unit.Commit();
        job.State = job.State with { CardNumber = boards.Find(task.Bench.Board.Id)?.CardNumber };
    }

    /// <summary>An image that no file on the card could mend is not written unless it is ordered anyway.</summary>
    private async Task<Problem?> BreaksAlready(
        CardWriteJob job,
        BenchBoard bench,
        ImageProfile image,
        string path,
        DryBoard? dry,
        CardOrder order,
        CancellationToken token
    )
    {
        var look = await looks.Look(path, dry).WaitAsync(token);
        if (look.Problem is { } unreadable)
            return unreadable;
        job.State = job.State with { Before = look.Dry?.Verdict };
        return
            look.Dry is { Verdict: DryVerdict.DoesNotBoot } no
            && !order.Anyway
            && no.Broken.Any(c => c.Edit is null && c.Cause != CauseIds.ConsoleArgMissing)
            ? new(
                $"{image.Title} should boot on {bench.Board.Nickname}.",
                no.Broken.FirstOrDefault()?.Text ?? "The dry boot breaks.",
                no.Broken.FirstOrDefault()?.Fix ?? "Choose another image."
            )
            : null;
    }

    internal static Problem? CheckDownload(CardWriteJob job, ImageProfile image, string path, CancellationToken token)
    {
        if (image.Sha256 is not { } sum)
            return null;
        job.Begin(WriteStep.CheckingDownload, new FileInfo(path).Length);
        using var packed = PackedImage.Open(path, token, job.Progress).Value!;
        return Checksum.Compare(sum, path, packed.Sha256());
    }

    internal static Problem? CheckSize(CardWriteJob job, CardDevice card)
    {
        job.Begin(WriteStep.CheckingSize, card.Length / CardSize.Step * CardSize.Step * 2);
        job.Erase();
        var seed = BitConverter.ToUInt64(System.Security.Cryptography.RandomNumberGenerator.GetBytes(8));
        return CardSize.Check(card, seed, card.Flush, (done, _) => job.Progress(done * CardSize.Step)) is { } real
            ? new(
                $"The card should hold the {Sizes.Binary(card.Length)} that it says.",
                $"It holds about {Sizes.Binary(real)}: what is written beyond that is lost, or overwrites the beginning.",
                "Do not use this card; give it back."
            )
            : null;
    }

    private async Task<Problem?> WriteRaw(CardWriteJob job, string path, CardDevice card, CancellationToken token)
    {
        var opened = PackedImage.OpenUnpacked(path, unpacked, token) is { } here ? here : PackedImage.Open(path, token, null);
        if (opened.Value is not { } packed)
            return opened.Problem;
        using (packed)
        {
            var total =
                packed.Compression == PackedImage.Raw ? packed.SizeBytes : profiles.Catalogue.Image(job.State.ImageId)!.ExpandedBytes;
            job.Begin(WriteStep.Writing, total);
            job.Erase();
            var copy = new CardCopy(card, done => job.Progress(done));
            if (await copy.Write(packed, token) is { } stopped)
                return stopped;
            job.State = job.State with { WriteBytesPerSecond = copy.Length / job.SecondsInStep };
            job.Begin(WriteStep.ReadingBack, copy.Length);
            if (copy.Compare(token) is { } differs)
                return differs;
            job.State = job.State with { ReadBytesPerSecond = copy.Length / job.SecondsInStep };
            return null;
        }
    }

    private static Problem? OntoExt(CardDevice card, Partition partition, List<RenderedFile> files) =>
        files.Count == 0
            ? null
            : ExtFiles.Write(card.Path, partition.StartBytes, [.. files.Select(f => (f.Path, Encoding.UTF8.GetBytes(f.After), f.Mode))]);

    private Problem? FirstBoot(CardWriteJob job, BenchBoard bench, ImageProfile image, string path, DryBoard? dry, CardDevice card)
    {
        job.Begin(WriteStep.FirstBootFiles, 0);
        var plan = preparations.Plan(bench.Board, image, looks.Look(path, dry).Result);
        job.State = job.State with { Set = SettingsMaker.WithoutSecrets(plan.Set), Recipes = [.. plan.Recipes.Select(r => r.Id)] };
        if (plan.Texts is not { } texts || plan.Rendered is not { Files.Count: > 0 } rendered)
            return null;
        var onBoot = rendered.Files.Where(f => f.Place == FilePlace.Boot).ToList();
        var onRoot = rendered.Files.Where(f => f.Place == FilePlace.Root).ToList();
        if (texts.BootIsExt)
        {
            card.Flush();
            if (OntoExt(card, texts.BootPartition, onBoot) is { } notOnBoot)
                return notOnBoot;
        }
        else if (onBoot.Count > 0)
        {
            var fat = new FatWriter(
                card.Part(texts.BootPartition.StartBytes, texts.BootPartition.LengthBytes),
                clock.GetLocalNow().DateTime
            );
            foreach (var file in onBoot)
                fat.Write(file.Path, Encoding.UTF8.GetBytes(file.After));
            card.Flush();
            var tree = FileTree.Open(card.Slice(texts.BootPartition.StartBytes, texts.BootPartition.LengthBytes)).Tree;
            foreach (var file in onBoot)
                if (tree?.Read(file.Path) is not { } back || Encoding.UTF8.GetString(back) != file.After)
                    return new($"{file.Path} should be on the card.", "It cannot be read back.", "Write the card again.");
        }
        if (onRoot.Count > 0)
        {
            // A root that cannot be written was refused before anything was erased.
            card.Flush();
            if (OntoExt(card, texts.RootPartition!, onRoot) is { } notOnRoot)
                return notOnRoot;
        }
        var all = onBoot.Concat(onRoot).ToList();
        job.State = job.State with
        {
            Files = [.. all.Select(f => f.Path)],
            Applied = [.. all.Select(f => new KeptFile(f.Path, PreparationViews.WithoutSecrets(f.After, plan.Set)))],
        };
        return null;
    }
}
