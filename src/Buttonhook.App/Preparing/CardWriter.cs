using System.Collections.Concurrent;
using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Preparing;
using Buttonhook.Hardware.Cards;
using Buttonhook.Storage;

namespace Buttonhook.App.Preparing;

/// <summary>How a card is to be written.</summary>
/// <param name="Confirm">What a person typed: the size of a real card in whole GB.</param>
/// <param name="CheckSize">Whether the whole card is checked for its size first.</param>
/// <param name="Anyway">Whether it is written although the image does not boot on this board.</param>
/// <param name="Layout">How it is laid out; an image as it is unless a menu or a loader alone is ordered.</param>
/// <param name="Beside">The ids of the images beside that of the board, in the order of a menu.</param>
/// <param name="Drive">Where the root goes when only the loader is on the card.</param>
/// <param name="EndCapture">Whether a boot of this board that is being captured is ended for it; without that it is not written meanwhile.</param>
public sealed record CardOrder(
    string SlotId,
    string? Confirm,
    bool CheckSize,
    bool Anyway,
    StorageLayout Layout = StorageLayout.OneCard,
    IReadOnlyList<string>? Beside = null,
    DriveOrder? Drive = null,
    bool EndCapture = false
);

/// <summary>The slot of a drive.</summary>
/// <param name="Confirm">What a person typed: the size of a real drive in whole GB.</param>
/// <param name="Kind">ssd or usb: where the board has it.</param>
public sealed record DriveOrder(string SlotId, string? Confirm, string Kind);

/// <summary>Writes cards in the background, one at a time in a slot and for a board.</summary>
public sealed class CardWriter(
    PreparationStore store,
    BoardStore boards,
    CardSlots slots,
    StandInImages files,
    Profiles profiles,
    CardWriteSteps steps,
    TimeProvider clock
) : IHostedService
{
    private readonly ConcurrentDictionary<string, CardWriteJob> jobs = new();
    private readonly Lock starting = new();

    /// <summary>What was running when the program ended was interrupted.</summary>
    public Task StartAsync(CancellationToken token)
    {
        foreach (var left in store.LeftRunning())
            store.Keep(left with { Step = WriteStep.Interrupted, EndedAt = clock.GetUtcNow(), Problem = CardTroubles.Interrupted(left) });
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
    public bool IsWritingIn(string slotId) =>
        jobs.Values.Any(j => j.State.Running && (j.State.SlotId == slotId || j.State.DriveSlotId == slotId));

    /// <summary>What an order is refused for, before anything is ended or begun; null when it can be carried out.</summary>
    public Problem? Against(string boardId, CardOrder order)
    {
        var prepared = Prepared(boardId, order);
        return prepared.Value is { } task ? Busy(boardId, task) : prepared.Problem;
    }

    private Problem? Busy(string boardId, CardTask task) =>
        IsWritingIn(task.Slot.Id)
        || task.Drive is { } drive && IsWritingIn(drive.Id)
        || jobs.Values.Any(j => j.State.Running && j.State.BoardId == boardId)
            ? new("One card is written at a time in a slot and for a board.", "One is being written.", "Wait for it, or stop it.")
            : null;

    private Answer<CardTask> Prepared(string boardId, CardOrder order)
    {
        if (boards.Find(boardId) is not { } bench)
            return new Problem("The board should be on the bench.", "It is not there any more.", "Reload the page.");
        if (profiles.Catalogue.Image(bench.Board.ImageId) is not { } image)
            return new Problem("An image should be chosen first.", "None is.", "Take one on the Match page.");
        var chosen = SlotOf(order.SlotId, order.Confirm, image);
        if (chosen.Value is not { } slot)
            return chosen.Problem!;
        CardSlot? drive = null;
        if (order.Layout == StorageLayout.LoaderOnCard)
        {
            if (order.Drive is not { Kind: "ssd" or "usb" } asked || asked.SlotId == order.SlotId)
                return new Problem(
                    "The root goes onto a drive in a slot of its own, an SSD or one on USB.",
                    order.Drive is null ? "None is chosen." : $"{order.Drive.SlotId} ({order.Drive.Kind}) is chosen for it.",
                    "Choose the slot of the drive."
                );
            var other = SlotOf(asked.SlotId, asked.Confirm, image);
            if (other.Value is null)
                return other.Problem!;
            drive = other.Value;
        }
        if (
            order.Layout is StorageLayout.BootMenu or StorageLayout.LoaderOnCard
            && new[] { slot, drive }.Any(s => s?.Id == CardSlots.CopyId)
        )
            return new Problem(
                "A card that is put together goes into a slot.",
                "The copy beside the image holds one image as it is.",
                "Choose a slot."
            );
        return new CardTask(bench, image, slot, drive, order);
    }

    /// <summary>Starts to write a card for a board.</summary>
    public Answer<CardWrite> Start(string boardId, CardOrder order)
    {
        var prepared = Prepared(boardId, order);
        if (prepared.Value is not { } task)
            return prepared.Problem!;
        var (bench, image, slot, drive, _) = task;
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
            slot.Bytes,
            Layout: order.Layout,
            DriveSlotId: drive?.Id,
            DriveKind: drive is null ? null : order.Drive!.Kind
        );
        var job = new CardWriteJob(state, store, boards);
        lock (starting)
        {
            if (Busy(boardId, task) is { } busy)
                return busy;
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
        job.Work = Task.Run(() => Run(job, task));
        return state;
    }

    private Answer<CardSlot> SlotOf(string id, string? typed, ImageProfile image)
    {
        if (slots.Find(id, image) is not { } slot)
            return new Problem("The card should be in one of the slots.", $"{id} is none of them.", "Put it in, and look again.");
        if (slot.Refused is { } refused)
            return new Problem(
                "The card should be free to be written.",
                $"{slot.Name}: {refused}.",
                "Choose another one, or take it out of use first."
            );
        if (slot.Confirm is { } confirm && typed?.Trim() != confirm)
            return new Problem(
                $"Writing erases {slot.Name}; its size in GB is typed to say that this is the one.",
                string.IsNullOrWhiteSpace(typed) ? "Nothing was typed." : $"“{typed}” was typed.",
                "Look at the card and type the number that is printed on it, as shown beside the slot."
            );
        return slot;
    }

    private async Task Run(CardWriteJob job, CardTask task)
    {
        var token = job.Stop.Token;
        Problem? problem;
        try
        {
            problem = await steps.Run(job, task, token);
            token.ThrowIfCancellationRequested();
        }
        catch (OperationCanceledException)
        {
            job.Keep(
                job.State with
                {
                    Step = WriteStep.Cancelled,
                    EndedAt = clock.GetUtcNow(),
                    Problem = CardTroubles.Stopped(job.State.Erased),
                }
            );
            return;
        }
        catch (Exception e) when (FullDisk.Is(e))
        {
            problem = CardTroubles.NoRoom(job.State.Erased);
        }
        catch (CardException e)
        {
            problem = CardTroubles.Told(e, job.State);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or UnreadableException or InvalidDataException)
        {
            problem = new("The card should be written to its end.", e.Message, "Write it again; when it happens again, use another card.");
        }
        catch (Exception e)
        {
            problem = new("The card should be written to its end.", $"A mistake inside Buttonhook: {e.Message}", "Write it again.");
        }
        job.Keep(
            job.State with
            {
                Step = problem is null ? WriteStep.Done : WriteStep.Failed,
                EndedAt = clock.GetUtcNow(),
                Problem = problem,
            }
        );
    }
}
