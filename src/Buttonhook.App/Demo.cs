using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;
using Buttonhook.Core.Simulating;
using Buttonhook.Storage;

namespace Buttonhook.App;

/// <summary>Fills an empty bench with the demo: the simulated boards play their past boots in board time, so every log, time and record is a real one.</summary>
public static class Demo
{
    /// <summary>Longer than any simulated boot, in milliseconds.</summary>
    private const int LongEnough = 400_000;

    /// <summary>Fills the bench when no board is on it; does nothing otherwise.</summary>
    public static void Fill(KnowledgeFiles knowledge, Database database, TimeProvider clock)
    {
        if (new BoardStore(database).All().Count > 0)
            return;
        database.Durable = false;
        var filling = new Filling(knowledge, new(database), new(database), new(database), clock.GetUtcNow());
        foreach (var demo in knowledge.Demo.Boards)
            filling.Put(demo);
        database.Durable = true;
    }

    private sealed class Filling(KnowledgeFiles knowledge, BoardStore boards, BootStore boots, SettingsStore settings, DateTimeOffset now)
    {
        private int seed;

        public void Put(DemoBoard demo)
        {
            seed = 100;
            boards.Save(
                new Board(
                    demo.Id,
                    demo.Nickname,
                    demo.ModelId,
                    demo.RevisionId,
                    demo.MemoryMiB,
                    demo.Connected,
                    demo.ToldBy,
                    null,
                    [],
                    true
                ),
                demo.Fault
            );
            RecordOf(demo);
            foreach (var past in demo.Boots)
                PlayAgain(demo, past);
        }

        /// <summary>Boots long ago, which give images their record.</summary>
        private void RecordOf(DemoBoard demo)
        {
            var hours = 1000;
            foreach (var history in demo.History ?? [])
                for (var i = 0; i < history.Good + history.Bad; i++)
                {
                    boards.ChooseImage(demo.Id, history.Image);
                    Play(boards.Find(demo.Id)!, i < history.Good ? null : history.Fault, false, now.AddHours(-hours--));
                }
            if (demo.History is not null)
                boards.ChooseImage(demo.Id, null);
        }

        private void PlayAgain(DemoBoard demo, DemoBoot past)
        {
            if (past.Image is not null)
                boards.ChooseImage(demo.Id, past.Image);
            var at = now.AddHours(-past.HoursAgo);
            var (boot, read) = Play(boards.Find(demo.Id)!, past.Fault, past.First, at);
            if (past.Fault == CauseIds.FstabDeviceMissing && knowledge.Rules.Book.Cause(past.Fault) is { } cause)
                boards.AddChange(
                    demo.Id,
                    cause.Id,
                    "/etc/fstab: the line of /dev/disk/by-label/FROSTLOG was given nofail.",
                    at.AddMinutes(5)
                );
            if (past.Keep is not { } notes)
                return;
            var bench = boards.Find(demo.Id)!;
            var draft = SettingsMaker.From(
                new Run(
                    bench.Board,
                    knowledge.Catalogue.Model(bench.Board.ModelId)!,
                    knowledge.Catalogue,
                    knowledge.Catalogue.Image(boot.ImageId),
                    CardState.Seen,
                    null,
                    null,
                    [],
                    [],
                    read.Reading,
                    read.Log,
                    boot.Source,
                    boots.Sha256(boot.Id),
                    boot.StartedAt
                )
            );
            if (draft.Value is { } worked)
                settings.Keep(demo.Id, boot.Id, worked with { Notes = notes }, at.AddMinutes(10));
        }

        private (Boot, ReadCapture) Play(BenchBoard bench, string? fault, bool first, DateTimeOffset at)
        {
            var model = knowledge.Catalogue.Model(bench.Board.ModelId)!;
            var plan = new SimulationPlan(
                bench.Board,
                model,
                knowledge.Catalogue.Image(bench.Board.ImageId),
                fault,
                model.Console.Speed!.Value,
                seed++,
                first
            );
            var boot = boots.Begin(bench, $"simulated board at {model.Console.Speed} 8N1", at, withPower: true);
            var pieces = new SimulatedBoard(plan).Advance(LongEnough);
            boots.Append(boot.Id, [.. pieces.Select(p => new StoredPiece(p.Milliseconds, p.Bytes))]);
            var reader = new BootReader(knowledge.Rules);
            reader.Log.CountFrom(0, TimeOrigin.Power);
            foreach (var piece in pieces)
                reader.Add(piece.Bytes, piece.Milliseconds);
            reader.Ending = new(CaptureEnd.Person, LongEnough - (reader.Log.LastArrival ?? 0));
            var read = reader.Result();
            boots.Keep(boot.Id, read, knowledge.Rules.Version);
            boots.End(boot.Id, Consoles.Capture.ByYou, at.AddMilliseconds(LongEnough), reader.Ending);
            return (boot, read);
        }
    }

    /// <summary>
    /// Takes over the cards of the demo that boards of a person's own bench stand on: benches that were begun when every bench had them
    /// keep what they know.
    /// </summary>
    public static void Adopt(Database database, KnowledgeFiles own, TimeProvider clock)
    {
        var store = new ProfileStore(database);
        var added = store.All();
        var boards = new BoardStore(database).All().Select(b => b.Board).ToList();
        var models = boards
            .Select(b => b.ModelId)
            .Where(id => own.Catalogue.Model(id) is null && added.Boards.All(m => m.Id != id))
            .ToHashSet();
        var images = boards
            .Select(b => b.ImageId)
            .Where(id => id is not null && own.Catalogue.Image(id) is null && added.Images.All(i => i.Id != id))
            .ToHashSet();
        if (models.Count + images.Count == 0 || KnowledgeFiles.Read().Value is not { } demo)
            return;
        store.Add(
            ProfilePack.Empty with
            {
                Boards = [.. demo.Catalogue.Models.Where(m => models.Contains(m.Id))],
                Images = [.. demo.Catalogue.Images.Where(i => images.Contains(i.Id))],
            },
            clock.GetUtcNow()
        );
    }
}
