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

namespace Buttonhook.App.Preparing;

/// <summary>Puts a card together from several images, or from the loader of one whose root goes onto a drive.</summary>
public sealed class CardAssembly(
    CardSlots slots,
    StandInImages files,
    ImageLooks looks,
    Profiles profiles,
    Preparations preparations,
    TimeProvider clock
)
{
    /// <summary>One image that is opened, with its card.</summary>
    private sealed record Source(ImageProfile Image, string Path, FileStream File);

    /// <summary>Everything in order; the problem that stopped it, or null when card and drive are ready.</summary>
    internal async Task<Problem?> Run(CardWriteJob job, CardTask task, DryBoard dry, CancellationToken token)
    {
        var sources = new List<Source>();
        try
        {
            var systems = new List<SystemToLay>();
            IReadOnlyList<string> ids = task.Order.Layout == StorageLayout.BootMenu ? task.Order.Beside ?? [] : [];
            PreparationPlan? plan = null;
            foreach (var id in ids.Prepend(task.Image.Id))
            {
                if (profiles.Catalogue.Image(id) is not { Kind: not "installer" } image)
                    return new("Each system should have an image on the shelf, and no installer.", $"{id} has none.", "Choose others.");
                var opened = await Open(job, image, token);
                if (opened.Value is not { } source)
                    return opened.Problem;
                sources.Add(source);
                ImageBytes bytes = ImageBytes.Of(source.File);
                if (sources.Count == 1)
                {
                    plan = preparations.Plan(task.Bench.Board, image, await looks.Look(source.Path, dry).WaitAsync(token));
                    var mended = Mended(bytes, plan);
                    if (mended.Value is null)
                        return mended.Problem;
                    bytes = mended.Value;
                }
                // The first loader of the card is that of the first system.
                var start = StartFiles.Of(
                    files.TitleOf(image),
                    bytes,
                    sources.Count == 1 ? dry : dry with { FirstLoader = null },
                    ImageFiles.Unpack
                );
                if (start.Value is null)
                    return start.Problem;
                systems.Add(new(image.Id, files.TitleOf(image), start.Value));
            }
            return Write(job, task, dry, sources, systems, plan, token);
        }
        finally
        {
            foreach (var source in sources)
                source.File.Dispose();
        }
    }

    private async Task<Answer<Source>> Open(CardWriteJob job, ImageProfile image, CancellationToken token)
    {
        var found = files.FileOf(image, profiles.Catalogue);
        if (found.Value is not { } path)
            return found.Problem!;
        if (CardWriteSteps.CheckDownload(job, image, path, token) is { } wrong)
            return wrong;
        job.Begin(WriteStep.LookingAtImage, new FileInfo(path).Length);
        var opened = await ImageFiles.Open(path, token, job.Progress);
        return opened.Value is { } file ? new Source(image, path, file) : opened.Problem!;
    }

    /// <summary>The image with the first-boot files of its boot partition in it, over which its loader is followed.</summary>
    private Answer<ImageBytes> Mended(ImageBytes bytes, PreparationPlan plan)
    {
        var onBoot = plan.Rendered?.Files.Where(f => f.Place == FilePlace.Boot).ToList() ?? [];
        if (plan.Texts is not { } texts || onBoot.Count == 0)
            return bytes;
        if (texts.BootIsExt)
            return onBoot.FirstOrDefault(f => f.Before is not null) is { } changed
                ? new Problem(
                    "A card is put together from an image as it is, or with changes on a FAT boot partition.",
                    $"{changed.Path} is to be changed, and lies on an ext one.",
                    "Leave the change out, or take the layout with one system on the card."
                )
                : bytes;
        var over = WritableBytes.Over(bytes);
        var fat = new FatWriter(over.Part(texts.BootPartition.StartBytes, texts.BootPartition.LengthBytes), clock.GetLocalNow().DateTime);
        foreach (var file in onBoot)
            fat.Write(file.Path, Encoding.UTF8.GetBytes(file.After));
        return over;
    }

    private Problem? Write(
        CardWriteJob job,
        CardTask task,
        DryBoard dry,
        List<Source> sources,
        List<SystemToLay> systems,
        PreparationPlan? plan,
        CancellationToken token
    )
    {
        var opened = slots.Open(task.Slot, task.Image, token);
        if (opened.Value is not { } card)
            return opened.Problem;
        using var ownProfile = card;
        CardDevice? drive = null;
        if (task.Drive is { } slot)
        {
            var second = slots.Open(slot, task.Image, token);
            if (second.Value is null)
                return second.Problem;
            drive = second.Value;
        }
        using var ownDrive = drive;
        var ids = Guid.NewGuid().ToByteArray();
        var (diskId, driveId) = (BitConverter.ToUInt32(ids, 0), BitConverter.ToUInt32(ids, 8));
        var laid = drive is null
            ? CardLayout.Menu(systems, card.Length, diskId)
            : CardLayout.LoaderOnCard(systems[0], card.Length, drive.Length, diskId, driveId);
        if (laid.Value is not { } layout)
            return laid.Problem;
        if (
            task.Order.CheckSize
            && (CardWriteSteps.CheckSize(job, card) ?? (drive is null ? null : CardWriteSteps.CheckSize(job, drive))) is { } less
        )
            return less;
        var roots = drive ?? card;
        if (Lay(job, layout, sources, card, roots, sources.Any(s => files.IsStandIn(s.Image)), token) is { } failed)
            return failed;
        if (Finish(job, layout, roots, plan) is { } refused)
            return refused;
        job.Begin(WriteStep.DryBoot, 0);
        var beside = drive is null ? null : new DryDrive(drive, task.Order.Drive!.Kind);
        var played = Played(layout.Laid, card, dry, beside);
        job.State = job.State with { Systems = played, After = played[0].Dry };
        card.Flush();
        drive?.Flush();
        return null;
    }

    /// <summary>The boot of each entry of a menu, played from the card and the drive beside it.</summary>
    internal static IReadOnlyList<LaidSystem> Played(IReadOnlyList<LaidSystem> systems, ImageBytes card, DryBoard board, DryDrive? drive) =>
        [
            .. systems.Select(
                (s, n) =>
                    s with
                    {
                        Dry = DryBoot.Play(card, systems.Count > 1 ? board with { Entry = n + 1 } : board, ImageFiles.Unpack, drive),
                    }
            ),
        ];

    /// <summary>Writes loader, boot partition and roots, and reads them back.</summary>
    private Problem? Lay(
        CardWriteJob job,
        CardLayout layout,
        List<Source> sources,
        CardDevice card,
        CardDevice roots,
        bool standIn,
        CancellationToken token
    )
    {
        var total = layout.Systems.Sum(s => s.Start.Root.LengthBytes + s.Start.Bytes);
        job.Begin(WriteStep.Writing, total);
        job.Erase();
        long before = 0;
        void Table(CardDevice onto, byte[] table)
        {
            // Tables and file systems of before must not be found any more: the first mebibyte and the second table of a GPT at the end.
            onto.Write(0, new byte[Sizes.MiB]);
            onto.Write(onto.Length / 512 * 512 - 34 * 512, new byte[34 * 512]);
            if (standIn)
                CardDevice.StandInMark.CopyTo(table);
            onto.Write(0, table);
        }
        Table(card, layout.Table());
        if (layout.DriveTable() is { } second)
            Table(roots, second);
        var (from, to) = layout.LoaderArea;
        if (to > from)
            new CardCopy(card, _ => { }, from).Write(ImageBytes.Of(sources[0].File), from, to - from, token);
        var boot = card.Part(layout.Boot.StartBytes, layout.Boot.LengthBytes);
        FatFormat.Make(boot, layout.BootLabel, layout.DiskId, (uint)(layout.Boot.StartBytes / 512));
        var fat = new FatWriter(boot, clock.GetLocalNow().DateTime);
        var onBoot = layout.BootFiles();
        foreach (var file in onBoot)
        {
            token.ThrowIfCancellationRequested();
            fat.Write(file.Name, file.Bytes);
            job.Progress(before += file.Bytes.Length);
        }
        var copies = new List<CardCopy>();
        for (var n = 0; n < layout.Roots.Count; n++)
        {
            var root = layout.Systems[n].Start.Root;
            var done = before;
            var copy = new CardCopy(roots, at => job.Progress(done + at), layout.Roots[n].StartBytes);
            copy.Write(ImageBytes.Of(sources[n].File), root.StartBytes, root.LengthBytes, token);
            copies.Add(copy);
            before += root.LengthBytes;
        }
        job.State = job.State with { WriteBytesPerSecond = before / job.SecondsInStep };
        card.Flush();
        job.Begin(WriteStep.ReadingBack, total);
        before = 0;
        var tree = FileTree.Open(card.Slice(layout.Boot.StartBytes, layout.Boot.LengthBytes)).Tree;
        foreach (var file in onBoot)
        {
            token.ThrowIfCancellationRequested();
            if (tree?.Read(file.Name) is not { } back || !back.AsSpan().SequenceEqual(file.Bytes))
                return new(
                    "The card should give back what was written.",
                    $"{file.Name} differs.",
                    "Write it again; when it happens again, use another card."
                );
            job.Progress(before += back.Length);
        }
        foreach (var copy in copies)
        {
            if (copy.Compare(token) is { } differs)
                return differs;
            job.Progress(before += copy.Length);
        }
        job.State = job.State with { ReadBytesPerSecond = before / job.SecondsInStep };
        return null;
    }

    /// <summary>Lets each root name itself in its mount table, and writes the first-boot files of the first system.</summary>
    private static Problem? Finish(CardWriteJob job, CardLayout layout, CardDevice roots, PreparationPlan? plan)
    {
        job.Begin(WriteStep.FirstBootFiles, 0);
        var rendered = plan?.Rendered?.Files ?? [];
        var onBoot = plan?.Texts?.BootIsExt == true ? [] : rendered.Where(f => f.Place == FilePlace.Boot).ToList();
        for (var n = 0; n < layout.Roots.Count; n++)
        {
            var onRoot = n > 0 ? [] : rendered.Except(onBoot).Select(f => (f.Path, Encoding.UTF8.GetBytes(f.After), f.Mode)).ToList();
            var changed = n > 0 ? null : rendered.FirstOrDefault(f => f is { Place: FilePlace.Root, Path: "/etc/fstab" });
            if ((changed?.After ?? layout.Systems[n].Start.MountTable) is { } table)
            {
                onRoot.RemoveAll(f => f.Path == "/etc/fstab");
                onRoot.Add(("/etc/fstab", Encoding.UTF8.GetBytes(layout.MountTable(n, table)), "644"));
            }
            if (onRoot.Count > 0 && ExtFiles.Write(roots.Path, layout.Roots[n].StartBytes, onRoot) is { } refused)
                return refused;
        }
        job.State = job.State with
        {
            Files = [.. rendered.Select(f => f.Path)],
            Set = plan is null ? null : SettingsMaker.WithoutSecrets(plan.Set),
            Recipes = plan is null ? null : [.. plan.Recipes.Select(r => r.Id)],
            Applied = [.. rendered.Select(f => new KeptFile(f.Path, PreparationViews.WithoutSecrets(f.After, plan!.Set)))],
        };
        return null;
    }
}
