using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Buttonhook.Core.Keeping;

/// <summary>Reads working settings from JSON: of this format, of the first one, and as a short text.</summary>
public static class SettingsReader
{
    /// <summary>The longest text that is looked at, in letters.</summary>
    public const int Longest = 4 << 20;

    private const string First = "buttonhook.working-settings/1";
    private const string Family = "buttonhook.working-settings/";

    /// <summary>Reads JSON or a short text; what is neither, damaged, foreign or newer is a problem.</summary>
    /// <param name="schema">The JSON Schema of the format.</param>
    public static Answer<WorkingSettings> Read(string text, string schema)
    {
        if (text.Length > Longest)
            return new Problem("Working settings have up to 4 MiB.", "These have more.", "Take the file that Keep gives out.");
        if (!text.TrimStart().StartsWith('{'))
            return ShortForm.Read(text);
        JsonNode? node;
        try
        {
            node = JsonNode.Parse(text, documentOptions: new JsonDocumentOptions { MaxDepth = 32 });
        }
        catch (JsonException e)
        {
            return new Problem("Working settings are JSON.", $"Line {e.LineNumber + 1} is not.", "Take the file again from where it came.");
        }
        try
        {
            var format = (node as JsonObject)?["format"] is JsonValue v && v.TryGetValue<string>(out var name) ? name : null;
            return format switch
            {
                WorkingSettings.FormatName => Checked(node!, schema),
                First => Upgraded((JsonObject)node!),
                { } other when other.StartsWith(Family, StringComparison.Ordinal) => new Problem(
                    $"This Buttonhook reads {WorkingSettings.FormatName}.",
                    $"The file says {other}, from a newer one.",
                    "Update Buttonhook."
                ),
                { } other => new Problem(
                    $"Working settings say {WorkingSettings.FormatName} as their format.",
                    $"The file says {(other.Length > 60 ? other[..60] + "…" : other)}.",
                    "Take the file that Keep gives out."
                ),
                null => new Problem(
                    $"Working settings say {WorkingSettings.FormatName} as their format.",
                    "The file says no format.",
                    "Take the file that Keep gives out."
                ),
            };
        }
        catch (Exception e) when (e is InvalidOperationException or ArgumentException or FormatException)
        {
            // Two members of one name are found only when they are asked for.
            return new Problem("Working settings are JSON with each member once.", e.Message, "Take the file again from where it came.");
        }
    }

    private static Answer<WorkingSettings> Checked(JsonNode node, string schema)
    {
        var read = DataFile.Read<WorkingSettings>("The file", node, schema);
        if (read.Value is not { } settings)
            return read;
        var wrong = settings.Settings.FirstOrDefault(s => !SettingNames.IsId(s.Id));
        if (wrong is not null)
            return new Problem("Settings have ids such as image.sha256.", $"One is “{wrong.Id}”.", "Correct it.");
        return settings.Settings.DistinctBy(s => s.Id).Count() != settings.Settings.Count
            ? new Problem("Each setting stands once.", "One stands twice.", "Take the file again from where it came.")
            : settings;
    }

    /// <summary>A record of the first format in today's; what it did not say of where its values came from stays unsaid.</summary>
    private static Answer<WorkingSettings> Upgraded(JsonObject old)
    {
        string? Text(string name) =>
            old[name] switch
            {
                JsonValue v when v.TryGetValue<string>(out var text) => text,
                JsonValue v when v.TryGetValue<double>(out var number) => number.ToString(CultureInfo.InvariantCulture),
                _ => null,
            };
        IEnumerable<JsonNode> List(string name) => (old[name] as JsonArray ?? []).OfType<JsonNode>();
        if (Text("nickname") is not { Length: > 0 } nickname)
            return new Problem("Working settings name their board.", "These do not.", "Take the file again from where it came.");
        var settings = new List<Setting>();
        void Put(string id, string? value, string source)
        {
            if (value is { Length: > 0 and <= WorkingSettings.LongestValue })
                settings.Add(new(id, SettingNames.Of(id), value, Standing.Claimed, source));
        }
        const string bench = "a record of the first format",
            log = "the log, as a record of the first format says";
        Put("board.model", string.Join(" ", new[] { Text("maker"), Text("model") }.OfType<string>()), bench);
        Put("board.revision", Text("revision"), bench);
        Put("board.memory", int.TryParse(Text("memoryMiB"), out var mib) ? Sizes.Memory(mib) : null, bench);
        Put("board.processor", Text("instructionSet"), bench);
        Put("image.name", Text("image"), bench);
        Put("card.label", Text("cardGb") is { } gb ? $"{gb} GB" : null, bench);
        Put("console.port", Text("console"), bench);
        Put("console.adapter", Text("adapter"), bench);
        Put("supply.name", Text("supply"), bench);
        Put("system.kernel", Text("kernel"), log);
        Put("system.name", Text("os"), log);
        Put("system.root", Text("rootDevice"), log);
        Put("system.host", Text("hostname"), log);
        foreach (var stage in List("stageTimes").OfType<JsonObject>())
            if (
                stage["stage"] is JsonValue s
                && s.TryGetValue<string>(out var name)
                && stage["seconds"] is JsonValue t
                && t.TryGetValue<double>(out var seconds)
                && SettingNames.IsId($"time.{name}")
            )
                Put($"time.{name}", string.Create(CultureInfo.InvariantCulture, $"{seconds:0.0} s"), log);
        var count = 0;
        foreach (var address in List("addresses").OfType<JsonValue>())
            Put($"network.address:{++count}", address.ToString(), log);
        count = 0;
        foreach (var change in List("changes").OfType<JsonValue>())
            Put($"met.changed:{++count}", change.ToString(), bench);
        return new WorkingSettings(
            WorkingSettings.FormatName,
            nickname,
            [.. settings.DistinctBy(s => s.Id)],
            [],
            null,
            Text("notes") ?? "",
            Text("logSha256"),
            DateTimeOffset.TryParse(Text("bootedAt"), CultureInfo.InvariantCulture, out var at) ? at : null
        );
    }

    /// <summary>A record as it lies in one's own data, of whichever format; what is stored was checked before.</summary>
    public static WorkingSettings Stored(string json)
    {
        var node = JsonNode.Parse(json)!;
        return (string?)node["format"] == First ? Upgraded((JsonObject)node).Value! : node.Deserialize<WorkingSettings>(DataFile.Json)!;
    }
}
