using System.IO.Compression;
using System.Security.Cryptography;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Hardware;
using Buttonhook.Storage;

namespace Buttonhook.App.Keeping;

/// <summary>One file of a backup.</summary>
public sealed record BackedUp(string Name, long Bytes, string Sha256);

/// <summary>What a backup says of itself.</summary>
/// <param name="Format">Always <see cref="Backup.FormatName"/>.</param>
/// <param name="Schema">The schema of its data file.</param>
public sealed record BackupList(string Format, DateTimeOffset MadeAt, string Schema, IReadOnlyList<BackedUp> Files);

/// <summary>All data of a bench as one zip: the data file, rules of one's own, and the mark of the demo. Images and written cards are not in it: they are large, and come from elsewhere.</summary>
public static class Backup
{
    /// <summary>The format of a backup: a zip that begins with <see cref="List"/>.</summary>
    public const string FormatName = "buttonhook.backup/1";

    /// <summary>What is in it, as JSON.</summary>
    private const string List = "backup.json";

    private const string Data = "buttonhook.db";

    /// <summary>The only names that a backup has, the data file first.</summary>
    private static readonly string[] Names = [Data, "rules.yaml", "demo"];

    private const int LongestList = 64 << 10;

    /// <summary>Writes a backup while the bench is in use.</summary>
    /// <param name="scratch">A folder that is there, with room for a copy of the data file.</param>
    public static BackupList Write(Database database, string folder, Stream into, string scratch, DateTimeOffset at)
    {
        var copy = Path.Combine(scratch, $"backup-{Guid.NewGuid():N}.db");
        try
        {
            database.CopyTo(copy);
            var files = Names
                .Select(name => (Name: name, Path: name == Data ? copy : Path.Combine(folder, name)))
                .Where(f => File.Exists(f.Path))
                .ToList();
            var list = new BackupList(
                FormatName,
                at,
                Database.Check(copy).Value ?? throw new IOException("The copy of the data file is not whole."),
                [.. files.Select(f => Told(f.Name, f.Path))]
            );
            using var zip = new ZipArchive(into, ZipArchiveMode.Create, leaveOpen: true);
            using (var told = zip.CreateEntry(List).Open())
                JsonSerializer.Serialize(told, list, new JsonSerializerOptions(DataFile.Json) { WriteIndented = true });
            foreach (var (name, path) in files)
                zip.CreateEntryFromFile(path, name, CompressionLevel.Fastest);
            return list;
        }
        finally
        {
            File.Delete(copy);
        }
    }

    private static BackedUp Told(string name, string path)
    {
        using var file = File.OpenRead(path);
        return new(name, file.Length, Convert.ToHexStringLower(SHA256.HashData(file)));
    }

    /// <summary>Puts a backup into a data folder that no server uses; what was there is moved aside, and nothing is changed unless the backup is whole.</summary>
    /// <param name="replace">Whether data that are there may be moved aside.</param>
    /// <returns>What was restored, and where the data from before are, or null.</returns>
    public static Answer<Restored> Restore(string path, string folder, bool replace, DateTimeOffset at)
    {
        var present = Names.Where(n => File.Exists(Path.Combine(folder, n))).ToList();
        if (present.Contains(Data) && !replace)
            return new Problem(
                $"{folder} should be empty.",
                "There is a bench in it.",
                "Name another folder with --data, or say --replace: what is there is moved aside."
            );
        string? fresh = null;
        try
        {
            if (FileKinds.NotRegular(path, "The backup") is { } other)
                return other;
            Directory.CreateDirectory(folder);
            fresh = OwnFolder.Fresh(Path.Combine(folder, Restoring));
            var unpacked = Unpack(path, fresh);
            if (unpacked.Value is not { } list)
                return unpacked.Problem!;
            if (Database.Check(Path.Combine(fresh, Data)).Problem is { } unusable)
                return unusable;
            string? aside = null;
            for (var n = 1; present.Count > 0 && (aside is null || Directory.Exists(aside)); n++)
                aside = Path.Combine(folder, $"before-{at.UtcDateTime:yyyyMMdd-HHmmss}{(n == 1 ? "" : $"-{n}")}");
            // From here on it goes through, by the next start if this process is killed.
            File.WriteAllText(Path.Combine(fresh, Ready), aside ?? "");
            Finish(folder, fresh);
            return new Restored(list, aside);
        }
        catch (InvalidDataException)
        {
            return NoBackup(path, "It is no zip, or a damaged one.");
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return FullDisk.Is(e)
                ? new Problem(
                    $"There should be room on the disk of {folder}.",
                    "It is full.",
                    "Make room and restore again; nothing was changed."
                )
                : new Problem($"{path} should be readable, and {folder} writable.", e.Message, "Name another file or folder.");
        }
        finally
        {
            if (fresh is not null && !File.Exists(Path.Combine(fresh, Ready)))
                OwnFolder.Remove(fresh);
        }
    }

    private const string Restoring = "restoring";

    /// <summary>Stands in the folder of a restore that was checked and only waits to be moved in; it names the folder for what was there before.</summary>
    private const string Ready = "ready";

    /// <summary>Ends a restore that a kill or a power cut ended between its moves; removes what is left of one that had not come so far, and of killed backups.</summary>
    public static void FinishRestore(string folder)
    {
        foreach (var left in Directory.GetDirectories(folder, Restoring + "*").Where(OwnFolder.IsOurs))
            if (File.Exists(Path.Combine(left, Ready)))
                Finish(folder, left);
            else
                OwnFolder.Remove(left);
        RemoveCopies(folder);
    }

    /// <summary>Each step can be repeated: what was there goes aside as long as the new data file is not in, and that goes in last.</summary>
    private static void Finish(string folder, string fresh)
    {
        if (File.ReadAllText(Path.Combine(fresh, Ready)) is { Length: > 0 } aside && File.Exists(Path.Combine(fresh, Data)))
        {
            Directory.CreateDirectory(aside);
            // What waits beside the data file belongs to it.
            foreach (var name in (string[])[.. Names, Data + "-wal", Data + "-shm"])
                if (File.Exists(Path.Combine(folder, name)) && !File.Exists(Path.Combine(aside, name)))
                    File.Move(Path.Combine(folder, name), Path.Combine(aside, name));
        }
        foreach (var name in Names.Reverse())
            if (File.Exists(Path.Combine(fresh, name)))
                File.Move(Path.Combine(fresh, name), Path.Combine(folder, name), true);
        OwnFolder.Remove(fresh);
    }

    private const string Copies = "backing-up-";

    /// <summary>A folder for the copy that a backup is made of, inside the data folder, which holds the same secrets; what killed ones left is removed.</summary>
    public static string RoomForCopy(string folder)
    {
        RemoveCopies(folder);
        return OwnFolder.Fresh(Path.Combine(folder, $"{Copies}{Environment.ProcessId}"));
    }

    private static void RemoveCopies(string folder)
    {
        foreach (var left in Directory.GetDirectories(folder, Copies + "*"))
            if (!Directory.Exists($"/proc/{Path.GetFileName(left)[Copies.Length..]}"))
                OwnFolder.Remove(left);
    }

    private static Problem NoBackup(string path, string came) =>
        new($"{path} should be a backup of Buttonhook.", came, "Take another copy; nothing was changed.");

    private static Answer<BackupList> Unpack(string path, string into)
    {
        using var zip = ZipFile.OpenRead(path);
        if (zip.GetEntry(List) is not { } told)
            return NoBackup(path, $"It holds no {List}.");
        BackupList? list;
        try
        {
            var text = new byte[LongestList];
            using var stream = told.Open();
            var length = stream.ReadAtLeast(text, text.Length, throwOnEndOfStream: false);
            list = JsonSerializer.Deserialize<BackupList>(text.AsSpan(0, length), DataFile.Json);
        }
        catch (JsonException)
        {
            return NoBackup(path, $"Its {List} cannot be read.");
        }
        if (list?.Format is not FormatName)
            return NoBackup(
                path,
                list?.Format is { } format ? $"It says {format}, and {FormatName} is read." : $"Its {List} says no format."
            );
        // Only names that a backup has: nothing climbs out of its folder.
        if (list.Files is null || list.Files.Any(f => !Names.Contains(f.Name)) || list.Files.FirstOrDefault()?.Name != Data)
            return NoBackup(path, "It names files that no backup has.");
        foreach (var file in list.Files)
        {
            if (zip.GetEntry(file.Name) is not { } entry)
                return NoBackup(path, $"{file.Name} is not in it.");
            var target = Path.Combine(into, file.Name);
            using (var from = entry.Open())
            using (var to = File.Create(target))
                if (!CopyAtMost(from, to, file.Bytes))
                    return NoBackup(path, $"{file.Name} is longer than it says.");
            if (Told(file.Name, target) != file)
                return NoBackup(path, $"{file.Name} is not as it was: its sum differs.");
        }
        return list;
    }

    /// <summary>Copies up to as many bytes as were told; false when more come. A zip may unpack to far more than it says.</summary>
    private static bool CopyAtMost(Stream from, Stream to, long most)
    {
        var buffer = new byte[1 << 16];
        for (long done = 0; ; )
        {
            var read = from.Read(buffer);
            if (read == 0)
                return true;
            if ((done += read) > most)
                return false;
            to.Write(buffer, 0, read);
        }
    }
}

/// <summary>What was restored.</summary>
/// <param name="Aside">The folder that the data from before are in; null when there were none.</param>
public sealed record Restored(BackupList List, string? Aside);
