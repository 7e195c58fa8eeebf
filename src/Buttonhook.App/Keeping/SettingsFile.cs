using System.Globalization;
using System.IO.Compression;
using System.Text;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Keeping;

/// <summary>Working settings as files: read from whatever holds them, written as JSON and as a zip with log, files and photos.</summary>
internal static class SettingsFile
{
    /// <summary>What the settings are called inside a zip.</summary>
    private const string Inside = "settings.json";

    private static readonly JsonSerializerOptions Indented = new(DataFile.Json) { WriteIndented = true };

    /// <summary>Reads JSON, a short text, or a zip that holds settings.json; of a zip nothing else is looked at, and nothing is unpacked to disk.</summary>
    public static Answer<WorkingSettings> Read(byte[] bytes)
    {
        if (bytes is [(byte)'P', (byte)'K', 3, 4, ..])
        {
            var inside = OfZip(bytes);
            if (inside.Value is null)
                return inside.Problem!;
            bytes = inside.Value;
        }
        try
        {
            var text = new UTF8Encoding(false, true).GetString(bytes).TrimStart('\uFEFF');
            return SettingsReader.Read(text, KnowledgeFiles.SchemaOf("working-settings"));
        }
        catch (DecoderFallbackException)
        {
            return new Problem(
                "Working settings are JSON, a short text, or a zip that Keep gave out.",
                "This file is none of them: it is no text.",
                "Take the file again from where it came."
            );
        }
    }

    private static Answer<byte[]> OfZip(byte[] bytes)
    {
        try
        {
            using var zip = new ZipArchive(new MemoryStream(bytes), ZipArchiveMode.Read);
            if (zip.GetEntry(Inside) is not { } entry)
                return new Problem($"The zip should hold {Inside}.", "It does not.", "Take the zip that Keep gives out.");
            using var stream = entry.Open();
            // A zip may say any length: what really comes decides.
            var into = new byte[SettingsReader.Longest + 1];
            var length = stream.ReadAtLeast(into, into.Length, throwOnEndOfStream: false);
            return length > SettingsReader.Longest
                ? new Problem($"{Inside} has up to 4 MiB.", "This one unpacks to more.", "Take the zip that Keep gives out.")
                : into[..length];
        }
        catch (InvalidDataException)
        {
            return new Problem("The zip should be whole.", "It is damaged.", "Take the file again from where it came.");
        }
    }

    /// <summary>As JSON that a person can read.</summary>
    public static byte[] Json(WorkingSettings settings) => JsonSerializer.SerializeToUtf8Bytes(settings, Indented);

    /// <summary>A file name without its ending: letters, digits and dashes only.</summary>
    public static string NameOf(KeptSettings kept)
    {
        var name = new string([.. kept.Settings.Nickname.ToLowerInvariant().Select(c => char.IsLetterOrDigit(c) ? c : '-')]).Trim('-');
        return $"{(name.Length == 0 ? "board" : name)}-settings-{kept.Version}";
    }

    /// <summary>Everything of one version: settings.json, settings.md, settings.txt, the log as its bytes came, the first-boot files, the photos.</summary>
    public static byte[] Zip(KeptSettings kept, PhotoStore store, BootStore boots)
    {
        using var into = new MemoryStream();
        using (var zip = new ZipArchive(into, ZipArchiveMode.Create, true))
        {
            void Put(string name, byte[] bytes)
            {
                using var entry = zip.CreateEntry(name).Open();
                entry.Write(bytes);
            }
            var shown = new StringBuilder(SettingsText.Markdown(kept.Settings, kept.Version));
            var photos = store.Of(kept.BoardId);
            if (photos.Count > 0)
                shown.Append("\n## Photos\n");
            foreach (var (at, photo) in photos.Index())
            {
                if (store.Jpeg(photo.Id) is not { } jpeg)
                    continue;
                var name = $"photo-{at + 1}.jpg";
                Put(name, jpeg);
                var says = photo.Says.Length > 0 ? photo.Says : $"Photo {at + 1}";
                shown.Append(
                    CultureInfo.InvariantCulture,
                    $"\n![{says.Replace("\\", "\\\\").Replace("[", "\\[").Replace("]", "\\]")}]({name})\n"
                );
            }
            Put(Inside, Json(kept.Settings));
            Put("settings.md", Encoding.UTF8.GetBytes(shown.ToString()));
            Put("settings.txt", Encoding.UTF8.GetBytes(ShortForm.Write(kept.Settings) + "\n"));
            if (kept.BootId is { } boot && boots.Find(boot) is not null)
            {
                using var entry = zip.CreateEntry("boot.log").Open();
                foreach (var piece in boots.Pieces(boot))
                    entry.Write(piece.Bytes);
            }
            foreach (var file in kept.Settings.Files)
                if (Safe(file.Path) is { } path)
                    Put($"files/{path}", Encoding.UTF8.GetBytes(file.Text));
        }
        return into.ToArray();
    }

    /// <summary>A path of a card as one inside a zip: never out of its folder; null when nothing is left of it.</summary>
    private static string? Safe(string path)
    {
        var parts = path.Split('/', '\\').Where(p => p.Length > 0 && p is not ("." or "..")).ToList();
        return parts.Count == 0 ? null : string.Join('/', parts);
    }
}
