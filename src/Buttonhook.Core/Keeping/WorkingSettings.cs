using System.Text.Json.Serialization;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Keeping;

/// <summary>What a setting stands on.</summary>
public enum Standing
{
    /// <summary>The log, or writing and reading back here, shows it.</summary>
    Proven,

    /// <summary>A person says so; nothing shows it.</summary>
    Claimed,

    /// <summary>The log and the bench say different things.</summary>
    Differs,

    /// <summary>Nothing tells it.</summary>
    Unknown,
}

/// <summary>One working setting.</summary>
/// <param name="Id">Stable: what it is about, a point, its name ("image.sha256"); one of several ends in a colon and a number ("network.address:2").</param>
/// <param name="Value">As the run or the bench tell it; null when it is not known.</param>
/// <param name="Source">What it stands on, in a few words; of one that differs both sides in a sentence.</param>
/// <param name="Line">The line of the log that shows it, or null.</param>
/// <param name="Said">What a person said instead, or where nothing told it; both are kept. Null when nobody did.</param>
public sealed record Setting(string Id, string Name, string? Value, Standing Standing, string Source, int? Line = null, string? Said = null)
{
    /// <summary>What counts: what is proven, else what the person said, else what is told.</summary>
    [JsonIgnore]
    public string? Counts => Standing == Standing.Proven ? Value ?? Said : Said ?? Value;

    /// <summary>Whether a person says other than what is proven: both stand side by side, and the proven one leads.</summary>
    [JsonIgnore]
    public bool Disputed => Standing == Standing.Proven && Said is not null && Value is not null;

    /// <summary>What it is about ("image").</summary>
    [JsonIgnore]
    public string About => Id[..Id.IndexOf('.', StringComparison.Ordinal)];

    /// <summary>Its name without the number of one of several ("network.address").</summary>
    [JsonIgnore]
    public string Kind => Id.Split(':')[0];
}

/// <summary>What the bench had, by the ids of the catalogue, so that the same can be set up again.</summary>
/// <param name="FirstBoot">What was set before the first boot, without password and wireless key; null when it is not known.</param>
/// <param name="Recipes">Ids of the recipes that were chosen.</param>
public sealed record KeptBench(
    string ModelId,
    string RevisionId,
    int? MemoryMiB,
    string? ImageId,
    Connected Connected,
    FirstBoot? FirstBoot,
    IReadOnlyList<string> Recipes
);

/// <summary>What worked, so that the next board takes minutes. Format <c>buttonhook.working-settings/2</c>, described in docs/formats.</summary>
/// <param name="Settings">In the order of the work.</param>
/// <param name="Bench">Null in records that came without it.</param>
/// <param name="LogSha256">Of the bytes of the boot that proves it; null when there is none.</param>
public sealed record WorkingSettings(
    string Format,
    string Nickname,
    IReadOnlyList<Setting> Settings,
    IReadOnlyList<KeptFile> Files,
    KeptBench? Bench,
    string Notes,
    string? LogSha256,
    DateTimeOffset? BootedAt
)
{
    /// <summary>The name of this format.</summary>
    public const string FormatName = "buttonhook.working-settings/2";

    /// <summary>The longest value that a setting may have.</summary>
    public const int LongestValue = 2000;

    /// <summary>What counts of a setting; null when it is not there or not known.</summary>
    public string? Of(string id) => Settings.FirstOrDefault(s => s.Id == id)?.Counts;

    /// <summary>What counts of all settings of one kind, in order.</summary>
    public IReadOnlyList<string> All(string kind) => [.. Settings.Where(s => s.Kind == kind).Select(s => s.Counts).OfType<string>()];

    /// <summary>That these are of a board of another model than one on the bench, in a sentence; null when they are not, or do not tell their model.</summary>
    public string? Foreign(Board board, Catalogue catalogue)
    {
        if (catalogue.Model(board.ModelId) is not { } model)
            return null;
        var own = model.Carrier is null ? model.FullName : $"{model.FullName} on {model.Carrier}";
        return Bench is { } was
            ? was.ModelId == board.ModelId
                ? null
                : $"They are of a {Of("board.model") ?? was.ModelId}, and {board.Nickname} is a {own}."
            : Of("board.model") is { } named && named != own && named != model.FullName && named != model.Name
                ? $"They are of a {named}, and {board.Nickname} is a {own}."
                : null;
    }

    /// <summary>The record with what a person says of settings; an empty text takes back what was said.</summary>
    /// <param name="said">By the id of the setting; one that is not there is added under its name.</param>
    public WorkingSettings Saying(IReadOnlyDictionary<string, string> said)
    {
        var known = Settings
            .Select(s => said.TryGetValue(s.Id, out var text) ? s with { Said = Same(text, s.Value) ? null : text.Trim() } : s)
            .ToList();
        known.AddRange(
            said.Where(p => p.Value.Trim().Length > 0 && known.TrueForAll(s => s.Id != p.Key))
                .Select(p => new Setting(p.Key, SettingNames.Of(p.Key), null, Standing.Claimed, "as you say", null, p.Value.Trim()))
        );
        return this with { Settings = known };
    }

    /// <summary>What a person says against what is proven, one sentence each; asked about once before it is kept.</summary>
    public IEnumerable<string> Disputes() =>
        Settings
            .Where(s => s.Disputed)
            .Select(s => $"{s.Name}: {(s.Line is { } line ? $"line {line} shows" : $"{s.Source}:")} {s.Value}, you say {s.Said}.");

    private static bool Same(string said, string? value) => said.Trim().Length == 0 || said.Trim() == value;
}
