using System.Text;
using System.Text.Json;
using Buttonhook.App.Consoles;
using Buttonhook.App.Keeping;
using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;
using Microsoft.AspNetCore.Http.Features;

namespace Buttonhook.App.Endpoints;

/// <summary>What a person adds to the settings that were filled in.</summary>
/// <param name="Said">What the person says of settings, by their ids.</param>
/// <param name="After">The newest version that the page knew; a later one is not passed over. Null takes any.</param>
/// <param name="Disputed">Whether the person knows that what they say is other than what is proven, and keeps both.</param>
public sealed record KeepInput(string BootId, string Notes, IReadOnlyDictionary<string, string> Said, int? After, bool Disputed = false);

/// <summary>A boot that no longer is as the newest record says.</summary>
/// <param name="Version">The record.</param>
public sealed record RegressionView(int Version, IReadOnlyList<SettingDifference> Differences);

/// <summary>Settings as they would be kept now, and the versions kept before.</summary>
/// <param name="Draft">Null when the newest boot did not reach the login; then <paramref name="Problem"/> says why.</param>
/// <param name="Differ">Where the log and the bench say different things.</param>
/// <param name="Regression">Null while the newest boot is as the newest record says.</param>
public sealed record KeepView(
    string? BootId,
    WorkingSettings? Draft,
    Problem? Problem,
    IReadOnlyList<KeptSettings> Versions,
    IReadOnlyList<string> Differ,
    RegressionView? Regression
);

/// <summary>Two records beside each other.</summary>
public sealed record ComparedSettings(string Before, string After, IReadOnlyList<SettingDifference> Differences);

/// <summary>Settings that were read, before anything is kept.</summary>
/// <param name="Version">The newest version of the board that it is compared with; 0 when it has none.</param>
/// <param name="Differences">What would change against that version.</param>
/// <param name="Foreign">That they are of a board of another model, in a sentence; null when they are not, or when that is not known.</param>
public sealed record ReadSettings(WorkingSettings Settings, int Version, IReadOnlyList<SettingDifference> Differences, string? Foreign);

/// <summary>Read settings that are to be kept.</summary>
/// <param name="From">Where they came from, such as the name of the file.</param>
/// <param name="Foreign">Whether the person knows that they are of a board of another model.</param>
public sealed record TakeSettings(WorkingSettings Settings, string From, int? After, bool Foreign = false);

/// <summary>Keep.</summary>
public static class KeepingEndpoints
{
    private const int MostNotes = 4000;

    /// <summary>The largest file of settings, in bytes: a zip that Keep gave out has the log and the photos in it.</summary>
    private const long LargestFile = 64 << 20;

    /// <summary>Adds the routes.</summary>
    public static void MapKeeping(this RouteGroupBuilder api)
    {
        api.MapGet("/boards/{id}/settings", View).Produces<KeepView>();
        api.MapPost("/boards/{id}/settings", Keep).Produces<KeptSettings>();
        api.MapGet("/boards/{id}/settings/{file}", Export);
        api.MapPost("/boards/{id}/settings/taken", Take).Produces<KeptSettings>();
        api.MapPost("/boards/{id}/settings/{version:int}/again", Again).Produces<SetUp>();
        api.MapGet("/settings/compare", Compare).Produces<ComparedSettings>();
        api.MapPost("/settings/read", Read).Accepts<Stream>("application/octet-stream").Produces<ReadSettings>();
    }

    private static IResult View(string id, BoardStore boards, Captures captures, SettingsStore settings, Runs runs)
    {
        if (boards.Find(id) is not { } bench)
            return Problems.Missing("This board");
        var versions = settings.Of(id);
        var all = captures.Of(id);
        if (Runs.Of(bench, all) is not { } boot)
            return Results.Ok(
                new KeepView(
                    null,
                    null,
                    new Problem("Working settings come from a boot.", "There is none yet.", "Boot it first."),
                    versions,
                    [],
                    null
                )
            );
        var draft = runs.Draft(bench, boot);
        var differ = draft.Value?.Settings.Where(s => s.Standing == Standing.Differs).Select(s => s.Source).Distinct() ?? [];
        return Results.Ok(
            new KeepView(
                boot.Id,
                draft.Value,
                draft.Problem,
                versions,
                [.. differ],
                Regressed(bench, all[0], versions, all[0].Id == boot.Id ? draft.Value : null, runs)
            )
        );
    }

    /// <summary>What of the newest boot is no longer as the newest record says; null for the boot that the record comes from.</summary>
    /// <param name="known">What is known of that boot already, or null.</param>
    private static RegressionView? Regressed(
        BenchBoard bench,
        Boot newest,
        IReadOnlyList<KeptSettings> versions,
        WorkingSettings? known,
        Runs runs
    )
    {
        if (versions.FirstOrDefault() is not { } kept || kept.BootId == newest.Id || newest.StartedAt < kept.Settings.BootedAt)
            return null;
        if ((known ?? runs.Known(bench, newest)) is not { } now)
            return null;
        var differences = SettingsDifference.Regression(kept.Settings, now);
        return differences.Count == 0 ? null : new(kept.Version, differences);
    }

    private static IResult Keep(
        string id,
        KeepInput input,
        BoardStore boards,
        BootStore boots,
        SettingsStore settings,
        Runs runs,
        TimeProvider clock
    )
    {
        if (boards.Find(id) is not { } bench || boots.Find(input.BootId) is not { } boot || boot.BoardId != id)
            return Problems.Missing("This boot");
        if (input.Notes.Length > MostNotes)
            return new Problem("Notes may have up to 4000 letters.", $"These have {input.Notes.Length}.", "Shorten them.").Answer();
        if (
            input.Said.FirstOrDefault(p => !SettingNames.IsId(p.Key) || p.Value.Length > WorkingSettings.LongestValue) is { Key: { } wrong }
        )
            return new Problem(
                $"A setting has an id such as image.sha256 and up to {WorkingSettings.LongestValue} letters.",
                $"{wrong} has not.",
                "Shorten it."
            ).Answer();
        var draft = runs.Draft(bench, boot);
        if (draft.Value is not { } filled)
            return draft.Problem!.Answer();
        var completed = filled.Saying(input.Said) with { Notes = input.Notes.Trim() };
        if (!input.Disputed && completed.Disputes().ToList() is { Count: > 0 } disputes)
            return new Problem(
                "What is proven and what you say should be the same.",
                string.Join(" ", disputes),
                "Take it back, or keep both: what is proven leads, and yours stands beside it."
            ).Answer();
        return settings.Keep(id, boot.Id, completed, clock.GetUtcNow(), null, input.After) is { } kept ? Results.Ok(kept) : Meanwhile();
    }

    private static IResult Meanwhile() =>
        new Problem(
            "Nobody else should keep settings of this board meanwhile.",
            "Another page kept a version after this one was opened.",
            "Look at that version, then keep again."
        ).Answer(StatusCodes.Status409Conflict);

    private static IResult Again(string id, int version, BoardStore boards, SettingsStore settings, SetAgain again)
    {
        if (boards.Find(id) is not { } bench || settings.Of(id).FirstOrDefault(s => s.Version == version) is not { } kept)
            return Problems.Missing("This version");
        var set = again.Set(bench, kept.Settings, sameBoard: true);
        return set.Value is { } done ? Results.Ok(done) : set.Problem!.Answer();
    }

    /// <summary>Two versions, "board:version" each; without a version the newest.</summary>
    private static IResult Compare(string a, string b, BoardStore boards, SettingsStore settings)
    {
        (string Title, WorkingSettings Settings)? Find(string which)
        {
            var parts = which.Split(':');
            var versions = settings.Of(parts[0]);
            var kept =
                parts.Length == 1 ? versions.FirstOrDefault()
                : int.TryParse(parts[1], out var version) ? versions.FirstOrDefault(v => v.Version == version)
                : null;
            return kept is null || boards.Find(parts[0]) is not { } bench
                ? null
                : ($"{bench.Board.Nickname}, version {kept.Version}", kept.Settings);
        }
        return Find(a) is var (before, one) && Find(b) is var (after, other)
            ? Results.Ok(new ComparedSettings(before, after, SettingsDifference.Of(one, other)))
            : Problems.Missing("One of these versions");
    }

    /// <summary>Reads a file (JSON, a zip that Keep gave out, or a short text) and tells what it would change; keeps nothing.</summary>
    private static async Task<IResult> Read(
        string? board,
        HttpContext context,
        BoardStore boards,
        SettingsStore settings,
        Catalogue catalogue,
        CancellationToken token
    )
    {
        context.Features.GetRequiredFeature<IHttpMaxRequestBodySizeFeature>().MaxRequestBodySize = LargestFile;
        using var bytes = new MemoryStream();
        await context.Request.Body.CopyToAsync(bytes, token);
        var read = SettingsFile.Read(bytes.ToArray());
        if (read.Value is not { } came)
            return read.Problem!.Answer();
        var named = boards.All().FirstOrDefault(b => b.Board.Nickname.Equals(came.Nickname, StringComparison.OrdinalIgnoreCase))?.Board.Id;
        var newest = (board ?? named) is { } id ? settings.Of(id).FirstOrDefault() : null;
        return Results.Ok(
            new ReadSettings(
                came,
                newest?.Version ?? 0,
                newest is null ? [] : SettingsDifference.Told(newest.Settings, came),
                (board ?? named) is { } target && boards.Find(target) is { } bench ? came.Foreign(bench.Board, catalogue) : null
            )
        );
    }

    private static IResult Take(
        string id,
        TakeSettings input,
        BoardStore boards,
        SettingsStore settings,
        Catalogue catalogue,
        TimeProvider clock
    )
    {
        if (boards.Find(id) is not { } bench)
            return Problems.Missing("This board");
        // What a page sends back is checked as a file is.
        var read = SettingsFile.Read(JsonSerializer.SerializeToUtf8Bytes(input.Settings, DataFile.Json));
        if (read.Value is not { } came)
            return read.Problem!.Answer();
        if (!input.Foreign && came.Foreign(bench.Board, catalogue) is { } foreign)
            return new Problem(
                "Settings should be of a board of the same model.",
                foreign,
                "Choose the board that they are of, or keep them here all the same: later boots are then compared with another model."
            ).Answer();
        var from = input.From.Trim() is { Length: > 0 and <= 200 } name ? name : "a text";
        return settings.Keep(id, null, came, clock.GetUtcNow(), from, input.After) is { } kept ? Results.Ok(kept) : Meanwhile();
    }

    private static string Short(KeptSettings kept, bool? label) =>
        ShortForm.Write(kept.Settings, label == true ? ShortForm.OnLabel : ShortForm.OnCard);

    /// <summary>One version as JSON, as Markdown, as a short text, as its square code, or as a zip of all with log and photos.</summary>
    /// <param name="own">Whether first-boot commands, names of wireless networks and comments of keys are asked for too.</param>
    private static IResult Export(
        string id,
        string file,
        bool? label,
        bool? own,
        SettingsStore settings,
        PhotoStore photos,
        BootStore boots
    )
    {
        var parts = file.Split('.');
        if (
            parts is not [var number, "json" or "md" or "zip" or "txt" or "svg"]
            || !int.TryParse(number, out var version)
            || settings.Of(id).FirstOrDefault(s => s.Version == version) is not { } kept
        )
            return Problems.Missing("This version");
        if (own != true)
            kept = kept with { Settings = ForOthers.Of(kept.Settings) };
        var name = $"{SettingsFile.NameOf(kept)}.{parts[1]}";
        return parts[1] switch
        {
            "json" => Results.File(SettingsFile.Json(kept.Settings), "application/json", name),
            "md" => Results.File(
                Encoding.UTF8.GetBytes(SettingsText.Markdown(kept.Settings, version)),
                "text/markdown; charset=utf-8",
                name
            ),
            "svg" => Results.Text(SquareCode.Svg(Short(kept, label), "#000000", worn: false), "image/svg+xml"),
            "txt" => Results.File(Encoding.UTF8.GetBytes(Short(kept, label) + "\n"), "text/plain; charset=utf-8", name),
            _ => Results.File(SettingsFile.Zip(kept, photos, boots), "application/zip", name),
        };
    }
}
