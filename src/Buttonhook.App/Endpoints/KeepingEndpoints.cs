using System.Globalization;
using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>What a person adds to the settings that were filled in.</summary>
public sealed record KeepInput(string BootId, string Notes, string? Hostname, string? RootDevice);

/// <summary>Settings as they would be kept now, and the versions kept before.</summary>
/// <param name="Draft">Null when the newest boot did not reach the login; then <paramref name="Problem"/> says why.</param>
/// <param name="Rows">Each setting with what it stands on; empty without a draft.</param>
/// <param name="Contradictions">Where the log and the bench say different things.</param>
public sealed record KeepView(
    string? BootId,
    WorkingSettings? Draft,
    Problem? Problem,
    IReadOnlyList<KeptSettings> Versions,
    IReadOnlyList<SettingRow> Rows,
    IReadOnlyList<string> Contradictions
);

/// <summary>Keep.</summary>
public static class KeepingEndpoints
{
    /// <summary>Lines that are searched for what proves a setting.</summary>
    private const int MostSearched = 20_000;

    /// <summary>Adds the routes.</summary>
    public static void MapKeeping(this RouteGroupBuilder api)
    {
        api.MapGet("/boards/{id}/settings", View).Produces<KeepView>();
        api.MapPost("/boards/{id}/settings", Keep).Produces<KeptSettings>();
        api.MapGet("/boards/{id}/settings/{file}", Export);
    }

    private static IResult View(
        string id,
        BoardStore boards,
        BootStore boots,
        SettingsStore settings,
        Captures captures,
        Catalogue catalogue,
        PreparationStore preparations,
        BenchViews views
    )
    {
        if (boards.Find(id) is not { } bench)
            return Problems.Missing("This board");
        var versions = settings.Of(id);
        var newest = boots.Of(id);
        var boot =
            newest.FirstOrDefault(b => b.CardNumber == bench.CardNumber && b.LastStage == Core.Consoles.Stage.Login)
            ?? newest.FirstOrDefault();
        if (boot is null)
            return Results.Ok(
                new KeepView(
                    null,
                    null,
                    new Problem("Working settings come from a boot.", "There is none yet.", "Boot it first."),
                    versions,
                    [],
                    []
                )
            );
        var draft = Draft(bench, boot, boots, captures, catalogue);
        var facts = captures.With(boot.Id, r => r.Reading.Facts);
        if (draft.Value is not { } filled || facts is null || catalogue.Model(bench.Board.ModelId) is not { } model)
            return Results.Ok(new KeepView(boot.Id, draft.Value, draft.Problem, versions, [], []));
        var differ = Contradictions.Of(bench.Board, model, catalogue.Image(boot.ImageId), preparations.Of(id).Set.HostName, facts);
        var card = views.ProofOf(bench).Card;
        var rows = captures.With(boot.Id, r => SettingRows.Of(filled, facts, card, differ, text => LineOf(r.Log, text)));
        return Results.Ok(new KeepView(boot.Id, filled, draft.Problem, versions, rows ?? [], [.. differ.Select(d => d.Says)]));
    }

    /// <summary>The first line that holds a text, as far as a first boot reaches.</summary>
    private static int? LineOf(ConsoleLog log, string text)
    {
        for (var line = 1; line <= Math.Min(log.LineCount, MostSearched); line++)
            if (log.Text(line).Contains(text, StringComparison.OrdinalIgnoreCase))
                return line;
        return null;
    }

    /// <summary>The settings of a boot as its log tells them.</summary>
    public static Answer<WorkingSettings> Draft(BenchBoard bench, Boot boot, BootStore boots, Captures captures, Catalogue catalogue)
    {
        var reading = captures.With(boot.Id, r => r.Reading);
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        foreach (var piece in boots.Pieces(boot.Id))
            hash.AppendData(piece.Bytes);
        return SettingsMaker.From(
            bench.Board,
            catalogue,
            boot.ImageId,
            reading!,
            boot.Source,
            Convert.ToHexStringLower(hash.GetHashAndReset()),
            boot.StartedAt
        );
    }

    private static IResult Keep(
        string id,
        KeepInput input,
        BoardStore boards,
        BootStore boots,
        SettingsStore settings,
        Captures captures,
        Catalogue catalogue,
        TimeProvider clock
    )
    {
        if (boards.Find(id) is not { } bench || boots.Find(input.BootId) is not { } boot || boot.BoardId != id)
            return Problems.Missing("This boot");
        if (input.Notes.Length > 4000)
            return new Problem("Notes may have up to 4000 letters.", $"These have {input.Notes.Length}.", "Shorten them.").Answer();
        var draft = Draft(bench, boot, boots, captures, catalogue);
        if (draft.Value is not { } filled)
            return draft.Problem!.Answer();
        var completed = filled with
        {
            Notes = input.Notes.Trim(),
            Hostname = input.Hostname ?? filled.Hostname,
            RootDevice = input.RootDevice ?? filled.RootDevice,
        };
        return Results.Ok(settings.Keep(id, boot.Id, completed, clock.GetUtcNow()));
    }

    /// <summary>One version as JSON, as Markdown, or as a zip of both with the photos of the board.</summary>
    private static IResult Export(string id, string file, SettingsStore settings, PhotoStore photos)
    {
        var parts = file.Split('.');
        if (
            parts is not [var number, "json" or "md" or "zip"]
            || !int.TryParse(number, out var version)
            || settings.Of(id).FirstOrDefault(s => s.Version == version) is not { } kept
        )
            return Problems.Missing("This version");
        var name = $"{kept.Settings.Nickname.ToLowerInvariant()}-settings-{version}.{parts[1]}";
        var json = JsonSerializer.SerializeToUtf8Bytes(kept.Settings, Indented);
        var text = SettingsMaker.Markdown(kept.Settings, version);
        return parts[1] switch
        {
            "json" => Results.File(json, "application/json", name),
            "md" => Results.File(Encoding.UTF8.GetBytes(text), "text/markdown; charset=utf-8", name),
            _ => Results.File(Zip(json, text, photos.Of(id), photos), "application/zip", name),
        };
    }

    private static byte[] Zip(byte[] json, string text, IReadOnlyList<BoardPhoto> photos, PhotoStore store)
    {
        using var into = new MemoryStream();
        using (var zip = new ZipArchive(into, ZipArchiveMode.Create, true))
        {
            void Put(string name, byte[] bytes)
            {
                using var entry = zip.CreateEntry(name).Open();
                entry.Write(bytes);
            }
            var shown = new StringBuilder(text);
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
            Put("settings.json", json);
            Put("settings.md", Encoding.UTF8.GetBytes(shown.ToString()));
        }
        return into.ToArray();
    }

    private static readonly JsonSerializerOptions Indented = new(DataFile.Json) { WriteIndented = true };
}
