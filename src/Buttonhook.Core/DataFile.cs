using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization;
using Json.Schema;
using YamlDotNet.Core;
using YamlDotNet.RepresentationModel;

namespace Buttonhook.Core;

/// <summary>Reads the knowledge files under <c>data/</c>: YAML 1.2 core scalars, checked against a JSON Schema, then given as records.</summary>
public static class DataFile
{
    /// <summary>How every record is written and read as JSON: camelCase members, enum names in kebab-case, nothing unknown accepted silently from data files.</summary>
    public static JsonSerializerOptions Json { get; } = MakeOptions();

    private static JsonSerializerOptions MakeOptions()
    {
        var options = new JsonSerializerOptions(JsonSerializerDefaults.Web) { NumberHandling = JsonNumberHandling.Strict };
        options.Converters.Add(new JsonStringEnumConverter(JsonNamingPolicy.KebabCaseLower));
        return options;
    }

    /// <summary>Reads one YAML text as <typeparamref name="T"/>; the problem names the file, the place and what the schema wanted.</summary>
    public static Answer<T> Read<T>(string name, string yaml, string schema)
        where T : class
    {
        JsonNode? node;
        try
        {
            node = ToJson(yaml);
        }
        catch (YamlException e)
        {
            return new Problem($"{name} should be YAML.", $"Line {e.Start.Line}: {e.Message}", "Correct that line.");
        }
        var result = JsonSchema.FromText(schema).Evaluate(node, new EvaluationOptions { OutputFormat = OutputFormat.List });
        if (!result.IsValid)
        {
            var first = result.Details.FirstOrDefault(d => d.Errors is { Count: > 0 });
            return new Problem(
                $"{name} should match its schema.",
                first is null ? "It does not." : $"At {first.InstanceLocation}: {string.Join("; ", first.Errors!.Values)}.",
                "Correct that place."
            );
        }
        try
        {
            return node.Deserialize<T>(Json)!;
        }
        catch (JsonException e)
        {
            return new Problem($"{name} should fit the {typeof(T).Name} record.", e.Message, "Correct that place.");
        }
    }

    /// <summary>Turns YAML into the JSON it stands for (plain scalars become null, booleans and numbers as YAML 1.2 core says); throws <see cref="YamlException"/> on bad YAML.</summary>
    public static JsonNode? ToJson(string yaml)
    {
        var stream = new YamlStream();
        stream.Load(new StringReader(yaml));
        return stream.Documents.Count == 0 ? null : Convert(stream.Documents[0].RootNode);
    }

    private static JsonNode? Convert(YamlNode node) =>
        node switch
        {
            YamlMappingNode map => new JsonObject(
                map.Children.Select(p => KeyValuePair.Create(((YamlScalarNode)p.Key).Value ?? "", Convert(p.Value)))
            ),
            YamlSequenceNode list => new JsonArray([.. list.Children.Select(Convert)]),
            YamlScalarNode { Style: not ScalarStyle.Plain } text => JsonValue.Create(text.Value),
            YamlScalarNode plain => Plain(plain.Value ?? ""),
            _ => null,
        };

    private static JsonValue? Plain(string text) =>
        text switch
        {
            "" or "~" or "null" => null,
            "true" => JsonValue.Create(true),
            "false" => JsonValue.Create(false),
            _ when long.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var whole) => JsonValue.Create(
                whole
            ),
            _ when double.TryParse(
                    text,
                    NumberStyles.Float & ~NumberStyles.AllowTrailingWhite,
                    CultureInfo.InvariantCulture,
                    out var real
                ) => JsonValue.Create(real),
            _ => JsonValue.Create(text),
        };
}
