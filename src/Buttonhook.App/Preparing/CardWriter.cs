using System.Buffers.Binary;
using System.Collections.Concurrent;
using System.Diagnostics;
using System.IO.Compression;
using System.IO.Hashing;
using System.Text;
using Buttonhook.App.Images;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;
using Buttonhook.Hardware.Cards;
using Buttonhook.Storage;

namespace Buttonhook.App.Preparing;

/// <summary>How a card is to be written.</summary>
/// <param name="Confirm">What a person typed: the size of a real card in whole GB.</param>
/// <param name="CheckSize">Whether the whole card is checked for its size first.</param>
/// <param name="Anyway">Whether it is written although the image does not boot on this board.</param>
public sealed record CardOrder(string SlotId, string? Confirm, bool CheckSize, bool Anyway);

/// <summary>Writes cards in the background: look, check, write, read back, first-boot files, dry boot. The state is stored at each step, so a stop at any moment is told truly at the next start.</summary>
public sealed class CardWriter(
    PreparationStore store,
    BoardStore boards,
    CardSlots slots,
    StandInImages files,
    ImageLooks looks,
    Unpacked unpacked,
    Cards cards,
    Preparations preparations,
    TimeProvider clock
) : IHostedService
{
    private readonly ConcurrentDictionary<string, Job> jobs = new();
    private readonly Lock starting = new();

    private sealed class Job(CardWrite state)
    {
        public CardWrite State { get; set; } = state;
        public CancellationTokenSource Stop { get; } = new();
        public Task Work { get; set; } = Task.CompletedTask;
        public Stopwatch SinceKept { get; } = Stopwatch.StartNew();
        public Stopwatch InStep { get; } = Stopwatch.StartNew();
    }

    /// <summary>What was running when the program ended was interrupted.</summary>
    public Task StartAsync(CancellationToken token)
    {
        foreach (var left in store.LeftRunning())
            store.Keep(
                left with
                {
                    Step = WriteStep.Interrupted,
                    EndedAt = clock.GetUtcNow(),
                    Problem = new(
                        "The card should have been written to its end.",
                        left.Erased
                            ? $"Buttonhook ended while it was at: {Words(left.Step)}, {Sizes.Binary(left.DoneBytes)} of {Sizes.Binary(left.TotalBytes)}."
                            : "Buttonhook ended before anything was written.",
                        left.Erased ? "The card is half written: write it again." : "The card is as it was; start again."
                    ),
                }
            );
        return Task.CompletedTask;
    }

    /// <summary>Stops what runs; it is told as interrupted at the next start.</summary>
    public async Task StopAsync(CancellationToken token)
    {
        foreach (var job in jobs.Values)
            await job.Stop.CancelAsync();
        await Task.WhenAll(jobs.Values.Select(j => j.Work))
            .WaitAsync(TimeSpan.FromMilliseconds(500), token)
            .ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
    }

    /// <summary>The newest writing for a board as it stands, or null.</summary>
    public CardWrite? Of(string boardId) =>
        store.NewestOf(boardId) is not { } stored ? null
        : jobs.TryGetValue(stored.Id, out var job) ? job.State
        : stored;

    /// <summary>Stops the writing for a board; false when none runs.</summary>
    public bool Cancel(string boardId)
    {
        if (Of(boardId) is not { Running: true } write || !jobs.TryGetValue(write.Id, out var job))
            return false;
        job.Stop.Cancel();
        return true;
    }

    /// <summary>Whether a card is being written in a slot.</summary>
    public bool IsWritingIn(string slotId) => jobs.Values.Any(j => j.State.Running && j.State.SlotId == slotId);

    /// <summary>Starts to write a card for a board.</summary>
    public Answer<CardWrite> Start(string boardId, CardOrder order)
    {
        if (boards.Find(boardId) is not { } bench)
            return new Problem("The board should be on the bench.", "It is not there any more.", "Reload the page.");
        if (cards.Catalogue.Image(bench.Board.ImageId) is not { } image)
            return new Problem("An image should be chosen first.", "None is.", "Take one on the Match page.");
        if (slots.Find(order.SlotId, image) is not { } slot)
            return new Problem("The card should be in one of the slots.", $"{order.SlotId} is none of them.", "Put it in, and look again.");
        if (slot.Refused is { } refused)
            return new Problem(
                "The card should be free to be written.",
                $"{slot.Name}: {refused}.",
                "Choose another one, or take it out of use first."
            );
        if (slot.Confirm is { } confirm && order.Confirm?.Trim() != confirm)
            return new Problem(
                $"Writing erases {slot.Name}; its size in GB is typed to say that this is the one.",
                string.IsNullOrWhiteSpace(order.Confirm) ? "Nothing was typed." : $"“{order.Confirm}” was typed.",
                "Look at the card and type the number that is printed on it, as shown beside the slot."
            );
        var state = new CardWrite(
            Guid.NewGuid().ToString("N"),
            boardId,
            slot.Id,
            slot.Name,
            image.Id,
            files.TitleOf(image),
            WriteStep.LookingAtImage,
            0,
            0,
            0,
            null,
            null,
            [],
            null,
            null,
            false,
            null,
            clock.GetUtcNow(),
            null,
            bench.CardNumber,
            bench.Board.Connected.CardGb,
            slot.Bytes
        );
        var job = new Job(state);
        lock (starting)
        {
            if (IsWritingIn(slot.Id) || jobs.Values.Any(j => j.State.Running && j.State.BoardId == boardId))
                return new Problem(
                    "One card is written at a time in a slot and for a board.",
                    "One is being written.",
                    "Wait for it, or stop it."
                );
            jobs[state.Id] = job;
        }
        try
        {
            store.Keep(state);
        }
        catch
        {
            // What could not be noted does not begin, and holds neither slot nor board.
            jobs.TryRemove(state.Id, out _);
            throw;
        }
        job.Work = Task.Run(() => Run(job, bench, image, slot, order));
        return state;
    }

    private async Task Run(Job job, BenchBoard bench, ImageCard image, CardSlot slot, CardOrder order)
    {
        var token = job.Stop.Token;
        Problem? problem;
        try
        {
            problem = await Steps(job, bench, image, slot, order, token);
            token.ThrowIfCancellationRequested();
        }
        catch (OperationCanceledException)
        {
            Keep(
                job,
                job.State with
                {
                    Step = WriteStep.Cancelled,
                    EndedAt = clock.GetUtcNow(),
                    Problem = new(
                        "The card should be written to its end.",
                        "It was stopped.",
                        job.State.Erased ? "The card is half written: write it again before you use it." : "The card is as it was."
                    ),
                }
            );
            return;
        }
        catch (Exception e) when (FullDisk.Is(e))
        {
            problem = new(
                "There should be room on this computer's disk while a card is written.",
                "The disk is full; the card itself is not at fault.",
                job.State.Erased
                    ? "Make room, then write the card again: it is half written."
                    : "Make room, then start again: the card is as it was."
            );
        }
        catch (CardException e)
        {
            problem = Told(e, job.State);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or UnreadableException or InvalidDataException)
        {
            problem = new("The card should be written to its end.", e.Message, "Write it again; when it happens again, use another card.");
        }
        catch (Exception e)
        {
            problem = new("The card should be written to its end.", $"A mistake inside Buttonhook: {e.Message}", "Write it again.");
        }
        Keep(
            job,
            job.State with
            {
                Step = problem is null ? WriteStep.Done : WriteStep.Failed,
                EndedAt = clock.GetUtcNow(),
                Problem = problem,
            }
        );
    }

    private async Task<Problem?> Steps(Job job, BenchBoard bench, ImageCard image, CardSlot slot, CardOrder order, CancellationToken token)
    {
        var board = DryBoards.Of(bench.Board, cards.Catalogue);
        if (board.Value is not { } dry)
            return board.Problem;
        var source = files.FileOf(image, cards.Catalogue);
        if (source.Value is not { } path)
            return source.Problem;
        var raw = image.Kind != "installer";
        if (raw)
        {
            var look = await looks.Look(path, dry).WaitAsync(token);
            if (look.Problem is { } unreadable)
                return unreadable;
            job.State = job.State with { Before = look.Dry?.Verdict };
            if (
                look.Dry is { Verdict: DryVerdict.DoesNotBoot } no
                && !order.Anyway
                && no.Broken.Any(c => c.Edit is null && c.Cause != "console-arg-missing")
            )
                return new(
                    $"{image.Title} should boot on {bench.Board.Nickname}.",
                    no.Broken.FirstOrDefault()?.Text ?? "The dry boot breaks.",
                    no.Broken.FirstOrDefault()?.Fix ?? "Choose another image."
                );
        }
        if (image.Sha256 is { } sum)
        {
            Step(job, WriteStep.CheckingDownload, new FileInfo(path).Length);
            using var packed = PackedImage.Open(path, token, done => Progress(job, done)).Value!;
            if (Checksum.Compare(sum, path, packed.Sha256()) is { } wrong)
                return wrong;
        }
        var opened = slots.Open(slot, image, token);
        if (opened.Value is not { } card)
            return opened.Problem;
        using (card)
        {
            if (raw && image.ExpandedBytes > card.Length)
                return TooSmall(image, card.Length);
            if (order.CheckSize)
            {
                Step(job, WriteStep.CheckingSize, card.Length / CardSize.Step * CardSize.Step * 2);
                Erased(job);
                var seed = BitConverter.ToUInt64(System.Security.Cryptography.RandomNumberGenerator.GetBytes(8));
                if (CardSize.Check(card, seed, card.Flush, (done, _) => Progress(job, done * CardSize.Step)) is { } real)
                    return new(
                        $"The card should hold the {Sizes.Binary(card.Length)} that it says.",
                        $"It holds about {Sizes.Binary(real)}: what is written beyond is lost or comes round.",
                        "Do not use this card; give it back."
                    );
            }
            var failed = raw ? await WriteRaw(job, path, card, token) : WriteFiles(job, path, image, card, token);
            if (failed is not null)
                return failed;
            if (raw)
            {
                if (FirstBoot(job, bench, image, path, dry, card) is { } refused)
                    return refused;
                Step(job, WriteStep.DryBoot, 0);
                job.State = job.State with { After = DryBoot.Play(card, dry, ImageFiles.Unpack) };
            }
            card.Flush();
        }
        // A copy beside the image is no card: what is in the board stays what it is.
        if (slot.Id != CardSlots.CopyId)
        {
            boards.ChooseImage(bench.Board.Id, image.Id);
            job.State = job.State with { CardNumber = boards.Find(bench.Board.Id)?.CardNumber };
        }
        return null;
    }

    private async Task<Problem?> WriteRaw(Job job, string path, CardDevice card, CancellationToken token)
    {
        var opened = PackedImage.OpenUnpacked(path, unpacked, token) is { } here ? here : PackedImage.Open(path, token, null);
        if (opened.Value is not { } packed)
            return opened.Problem;
        using (packed)
        {
            var total = packed.Compression == PackedImage.Raw ? packed.SizeBytes : cards.Catalogue.Image(job.State.ImageId)!.ExpandedBytes;
            Step(job, WriteStep.Writing, total);
            Erased(job);
            var copy = new CardCopy(card, done => Progress(job, done));
            if (await copy.Write(packed, token) is { } stopped)
                return stopped;
            job.State = job.State with { WriteBytesPerSecond = copy.Length / Math.Max(0.001, job.InStep.Elapsed.TotalSeconds) };
            Step(job, WriteStep.ReadingBack, copy.Length);
            if (copy.Compare(token) is { } differs)
                return differs;
            job.State = job.State with { ReadBytesPerSecond = copy.Length / Math.Max(0.001, job.InStep.Elapsed.TotalSeconds) };
            return null;
        }
    }

    /// <summary>The installer kind: one FAT32 partition over the card, and the files of the archive in it.</summary>
    private Problem? WriteFiles(Job job, string path, ImageCard image, CardDevice card, CancellationToken token)
    {
        const long start = 4 << 20;
        using var zip = ZipFile.OpenRead(path);
        var entries = zip.Entries.Where(e => e.Name.Length > 0).ToList();
        var total = entries.Sum(e => e.Length);
        if (total + (64 << 20) > card.Length)
            return TooSmall(image, card.Length);
        Step(job, WriteStep.Writing, total);
        Erased(job);
        var mbr = new byte[512];
        BinaryPrimitives.WriteUInt32LittleEndian(mbr.AsSpan(440), BitConverter.ToUInt32(Encoding.ASCII.GetBytes(job.State.Id[..4])));
        if (files.IsStandIn(image))
            CardDevice.StandInMark.CopyTo(mbr);
        mbr[446] = 0x80;
        mbr[450] = 0x0C;
        var length = Math.Min(card.Length - start, 31L << 30);
        BinaryPrimitives.WriteUInt32LittleEndian(mbr.AsSpan(454), (uint)(start / 512));
        BinaryPrimitives.WriteUInt32LittleEndian(mbr.AsSpan(458), (uint)(length / 512));
        mbr[510] = 0x55;
        mbr[511] = 0xAA;
        card.Write(0, mbr);
        var part = card.Part(start, length);
        FatWriter.Format(part, "INSTALL", BitConverter.ToUInt32(Encoding.ASCII.GetBytes(job.State.Id[4..8])), (uint)(start / 512));
        var fat = new FatWriter(part, clock.GetLocalNow().DateTime);
        long done = 0;
        var sums = new List<(string Name, ulong Sum)>();
        foreach (var entry in entries)
        {
            token.ThrowIfCancellationRequested();
            using var stream = entry.Open();
            using var memory = new MemoryStream();
            stream.CopyTo(memory);
            fat.Write(entry.FullName, memory.GetBuffer().AsSpan(0, (int)memory.Length));
            sums.Add((entry.FullName, XxHash3.HashToUInt64(memory.GetBuffer().AsSpan(0, (int)memory.Length))));
            Progress(job, done += entry.Length);
        }
        card.Flush();
        Step(job, WriteStep.ReadingBack, total);
        done = 0;
        var tree = FileTree.Open(part).Tree!;
        foreach (var (name, sum) in sums)
        {
            token.ThrowIfCancellationRequested();
            if (tree.Read("/" + name) is not { } bytes || XxHash3.HashToUInt64(bytes) != sum)
                return new(
                    "The card should give back what was written.",
                    $"{name} differs.",
                    "Write it again; when it happens again, use another card."
                );
            Progress(job, done += bytes.Length);
        }
        job.State = job.State with { Files = [.. sums.Select(s => "/" + s.Name)] };
        return null;
    }

    private Problem? FirstBoot(Job job, BenchBoard bench, ImageCard image, string path, DryBoard dry, CardDevice card)
    {
        Step(job, WriteStep.FirstBootFiles, 0);
        var plan = preparations.Plan(bench.Board, image, looks.Look(path, dry).Result);
        if (plan.Texts is not { } texts || plan.Rendered is not { Files.Count: > 0 } rendered)
            return null;
        var onBoot = rendered.Files.Where(f => f.Place == FilePlace.Boot).ToList();
        var onRoot = rendered.Files.Where(f => f.Place == FilePlace.Root).ToList();
        if (texts.BootIsExt)
        {
            onRoot.AddRange(onBoot);
            onBoot.Clear();
        }
        if (onBoot.Count > 0)
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
            var partition = texts.BootIsExt ? texts.BootPartition : texts.RootPartition;
            if (partition is null)
                return new("The image should have a root file system that is read here.", "It has none.", "Leave out what goes onto it.");
            card.Flush();
            if (
                ExtFiles.Write(
                    card.Path,
                    partition.StartBytes,
                    [.. onRoot.Select(f => (f.Path, Encoding.UTF8.GetBytes(f.After), f.Mode))]
                ) is
                { } refused
            )
                return refused;
        }
        job.State = job.State with { Files = [.. onBoot.Concat(onRoot).Select(f => f.Path)] };
        return null;
    }

    private static Problem TooSmall(ImageCard image, long bytes) =>
        new(
            $"{image.Title} should fit on the card.",
            $"It has {Sizes.Binary(image.ExpandedBytes)}, the card {Sizes.Binary(bytes)}.",
            $"Use a card of {image.SmallestCardGb} GB or more."
        );

    private static Problem Told(CardException e, CardWrite state) =>
        e.Fault switch
        {
            CardFault.Removed => new(
                "The card should stay in its slot until it is ready.",
                $"It was gone at {Sizes.Binary(state.DoneBytes)} of {Sizes.Binary(state.TotalBytes)}.",
                "Put it in again and write it again; it is half written."
            ),
            CardFault.ReadOnly => new(
                "The card should take what is written.",
                $"It turned read-only at {Sizes.Binary(e.At)}.",
                "Look at the slider of the card; when it is open, the card is worn out: use another one."
            ),
            CardFault.Unreadable => new(
                "The card should be read back whole.",
                $"It cannot be read at {Sizes.Binary(e.At)}.",
                "The card is broken there: use another one."
            ),
            _ => new("The card should take what is written.", e.Message, "Use another card."),
        };

    private void Step(Job job, WriteStep step, long total)
    {
        job.InStep.Restart();
        Keep(job, job.State with { Step = step, DoneBytes = 0, TotalBytes = total, BytesPerSecond = 0 });
    }

    /// <summary>From here on the card is not what it was; stored before the first byte is written.</summary>
    private void Erased(Job job)
    {
        Keep(job, job.State with { Erased = true });
        boards.TellWritten(job.State.BoardId, false);
    }

    private void Progress(Job job, long done)
    {
        var seconds = job.InStep.Elapsed.TotalSeconds;
        job.State = job.State with { DoneBytes = done, BytesPerSecond = seconds > 0.5 ? done / seconds : 0 };
        if (job.SinceKept.ElapsedMilliseconds > 1000)
            Keep(job, job.State);
    }

    private void Keep(Job job, CardWrite state)
    {
        job.State = state;
        job.SinceKept.Restart();
        try
        {
            store.Keep(state);
        }
        catch (Microsoft.Data.Sqlite.SqliteException e) when (FullDisk.Is(e))
        {
            // Before the first byte it must be noted; an end is noted as soon as there is room, and slot and board are free meanwhile.
            if (state.Running)
                throw;
            _ = KeepLater(state);
        }
    }

    private async Task KeepLater(CardWrite state)
    {
        while (true)
        {
            await Task.Delay(TimeSpan.FromSeconds(1));
            try
            {
                store.Keep(state);
                return;
            }
            catch (Microsoft.Data.Sqlite.SqliteException)
            {
                // Still no room.
            }
        }
    }

    private static string Words(WriteStep step) =>
        step switch
        {
            WriteStep.CheckingDownload => "checking the download",
            WriteStep.CheckingSize => "checking the size of the card",
            WriteStep.Writing => "writing",
            WriteStep.ReadingBack => "reading back",
            WriteStep.FirstBootFiles => "writing the first-boot files",
            WriteStep.DryBoot => "the dry boot",
            _ => "looking at the image",
        };
}
