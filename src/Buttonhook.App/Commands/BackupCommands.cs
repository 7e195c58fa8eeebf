using System.CommandLine;
using Buttonhook.App.Keeping;
using Buttonhook.Core;
using Buttonhook.Hardware;
using Buttonhook.Storage;
using static Buttonhook.App.Commands.Terminal;

namespace Buttonhook.App.Commands;

/// <summary>backup and restore: all data of a bench as one file.</summary>
internal static class BackupCommands
{
    /// <summary>Writes a backup, also while a server runs on the folder.</summary>
    public static Command MakeBackup()
    {
        var file = new Argument<string>("FILE") { Description = "The backup to write; one that is there is not overwritten." };
        var command = new Command("backup", "Write all your data into one file.") { file, CommandOptions.Data };
        command.SetAction(parse => Write(parse.GetValue(file)!, parse.GetValue(CommandOptions.Data) ?? BenchOptions.UsualFolder));
        return command;
    }

    /// <summary>Puts a backup into a data folder.</summary>
    public static Command MakeRestore()
    {
        var file = new Argument<string>("FILE") { Description = "A backup." };
        var replace = new Option<bool>("--replace") { Description = "Move data that are there aside." };
        var command = new Command("restore", "Put a backup into a data folder.") { file, replace, CommandOptions.Data };
        command.SetAction(parse =>
            Restore(parse.GetValue(file)!, parse.GetValue(CommandOptions.Data) ?? BenchOptions.UsualFolder, parse.GetValue(replace))
        );
        return command;
    }

    private static int Write(string file, string folder)
    {
        var data = DataFolder.DataFile(folder);
        if (!File.Exists(data))
            return Say(new Problem($"{folder} should hold a bench.", "There is none.", "Name its folder with --data."), Failed);
        // A server may hold the folder: its data file is read beside it. What an older version left is not upgraded by a backup.
        if (Database.Check(data).Problem is { } unusable)
            return Say(unusable, Failed);
        DataFolder.ForOwnerAlone();
        var opened = Database.Beside(data);
        if (opened.Value is not { } database)
            return Say(opened.Problem!, Failed);
        string? room = null;
        using (database)
            try
            {
                room = Backup.RoomForCopy(folder);
                using var into = new NewFile(file);
                var list = Backup.Write(database, folder, into.Stream, room, TimeProvider.System.GetUtcNow());
                into.Publish();
                Console.WriteLine(
                    $"{file}: {string.Join(", ", list.Files.Select(f => $"{f.Name} {Sizes.Binary(f.Bytes)}"))}. Images and written cards are not in it. It holds password hashes and wireless keys: keep it as you keep keys."
                );
                return 0;
            }
            catch (Exception e) when (FullDisk.Is(e) || e is IOException or UnauthorizedAccessException)
            {
                return Say(
                    FullDisk.Is(e)
                        ? new Problem(
                            $"There should be room for a copy of the data file in {folder}, and for {file}.",
                            "The disk is full.",
                            "Make room, or name a file on another disk. Your data are whole; nothing was written."
                        )
                        : new Problem($"{file} should be a new file on a disk with room.", e.Message, "Name another file."),
                    Failed
                );
            }
            finally
            {
                if (room is not null)
                    OwnFolder.Remove(room);
            }
    }

    private static int Restore(string file, string folder, bool replace)
    {
        DataFolder.ForOwnerAlone();
        var held = DataFolder.Hold(folder);
        if (held.Value is not { } mine)
            return Say(held.Problem!, Failed);
        using (mine)
        {
            var restored = Backup.Restore(file, folder, replace, TimeProvider.System.GetUtcNow());
            if (restored.Value is not { } done)
                return Say(restored.Problem!, Failed);
            Console.WriteLine($"The bench of {done.List.MadeAt.UtcDateTime:yyyy-MM-dd HH:mm 'UTC'} is in {folder}.");
            if (done.Aside is { } aside)
                Console.WriteLine($"What was there before is in {aside}.");
            return 0;
        }
    }
}
