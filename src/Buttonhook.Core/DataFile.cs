using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization;
using Json.Schema;
using YamlDotNet.Core;
using YamlDotNet.Core.Events;
using YamlDotNet.RepresentationModel;

namespace Buttonhook.Core;

/// <summary>Reads the knowledge files under <c>data/</c>: YAML 1.2 core scalars, checked against a JSON Schema, then given as records.</summary>
public static class DataFile
{
    /// <summary>How every record is written and read as JSON: camelCase members, enum names in kebab-case, nothing unknown accepted silently from data files.</summary>
    public static JsonSerializerOptions Json { get; } = MakeOptions();

    /// <summary>What is computed from other members is not written to files.</summary>
    private static readonly JsonSerializerOptions Written = new(Json) { IgnoreReadOnlyProperties = true };

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
        return Read<T>(name, node, schema);
    }

    /// <summary>Reads one document that is already JSON; the problem names the place and what the schema wanted.</summary>
    public static Answer<T> Read<T>(string name, JsonNode? node, string schema)
        where T : class
    {
        var result = JsonSchema.FromText(schema).Evaluate(node, new EvaluationOptions { OutputFormat = OutputFormat.List });
        if (!result.IsValid)
        {
            // A branch of a choice that does not hold is no mistake as long as another one does.
            var errors = result.Details.Where(d => d.Errors is { Count: > 0 }).ToList();
            var first =
                errors.FirstOrDefault(d => !d.EvaluationPath.ToString().Contains("/oneOf/", StringComparison.Ordinal))
                ?? errors.FirstOrDefault();
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

    /// <summary>A record as the tree of its document, without what is computed from other members.</summary>
    public static JsonNode Tree<T>(T value) => JsonSerializer.SerializeToNode(value, Written)!;

    /// <summary>Writes a record as one YAML document that <see cref="Read{T}(string, string, string)"/> reads back equal.</summary>
    public static string Write<T>(T value)
    {
        using var text = new StringWriter(CultureInfo.InvariantCulture);
        new YamlStream(new YamlDocument(ToYaml(Tree(value)))).Save(text, assignAnchors: false);
        return text.ToString().Replace("...\n", "", StringComparison.Ordinal).ReplaceLineEndings("\n");
    }

    private static YamlNode ToYaml(JsonNode? node) =>
        node switch
        {
            null => new YamlScalarNode("null") { Style = ScalarStyle.Plain },
            JsonObject map => new YamlMappingNode(
                map.Select(p => KeyValuePair.Create((YamlNode)new YamlScalarNode(p.Key), ToYaml(p.Value)))
            ),
            JsonArray list => new YamlSequenceNode(list.Select(ToYaml)),
            _ when node.GetValueKind() == JsonValueKind.String => Text(node.GetValue<string>()),
            _ => new YamlScalarNode(node.ToJsonString()) { Style = ScalarStyle.Plain },
        };

    /// <summary>Text that would be read as another kind, or that YAML gives a meaning to, is quoted.</summary>
    private static YamlScalarNode Text(string text) =>
        Plain(text) is { } plain
        && plain.GetValueKind() == JsonValueKind.String
        && text.All(c => char.IsAsciiLetterOrDigit(c) || c is ' ' or '.' or '-' or ',')
        && text == text.Trim()
        && char.IsAsciiLetterOrDigit(text[0])
            ? new(text)
            : new(text) { Style = ScalarStyle.DoubleQuoted };

    /// <summary>Turns YAML into the JSON it stands for (plain scalars become null, booleans and numbers as YAML 1.2 core says); throws <see cref="YamlException"/> on bad YAML.</summary>
    public static JsonNode? ToJson(string yaml) => Documents(yaml).FirstOrDefault();

    /// <summary>All documents of a YAML stream as JSON; throws <see cref="YamlException"/> on bad YAML.</summary>
    public static IReadOnlyList<JsonNode?> Documents(string yaml)
    {
        var stream = new YamlStream();
        var parser = new ShallowParser(new Parser(new StringReader(yaml)));
        try
        {
            stream.Load(parser);
        }
        catch (Exception e) when (e is not YamlException)
        {
            // Rare texts trip the library's scanner or its loader instead of being refused by them.
            var at = parser.Current?.End ?? Mark.Empty;
            throw new YamlException(at, at, "what stands here is not YAML", e);
        }
        return [.. stream.Documents.Select(d => Convert(d.RootNode))];
    }

    /// <summary>Passes the events of a YAML text on, and refuses a text nested so deep that loading it would end the program's stack.</summary>
    private sealed class ShallowParser(IParser parser) : IParser
    {
        private const int Deepest = 32;
        private int depth;

        public ParsingEvent? Current => parser.Current;

        public bool MoveNext()
        {
            var more = parser.MoveNext();
            depth += Current?.NestingIncrease ?? 0;
            return depth <= Deepest + 2 // the stream and the document count too
                ? more
                : throw new YamlException(Current!.Start, Current.End, "such depth is not used here");
        }
    }

    private static JsonNode? Convert(YamlNode node) =>
        node switch
        {
            // Anchors can nest a text into itself, or blow a small one up; cards need neither.
            _ when !node.Anchor.IsEmpty => throw new YamlException(node.Start, node.End, "anchors are not used here"),
            YamlMappingNode map when map.Children.Keys.DistinctBy(k => (k as YamlScalarNode)?.Value).Count() != map.Children.Count =>
                throw new YamlException(map.Start, map.End, "a key stands there twice"),
            YamlMappingNode map => new JsonObject(
                map.Children.Select(p =>
                    KeyValuePair.Create(
                        p.Key is YamlScalarNode key
                            ? key.Value ?? ""
                            : throw new YamlException(p.Key.Start, p.Key.End, "a key should be a word"),
                        Convert(p.Value)
                    )
                )
            ),
            YamlSequenceNode list => new JsonArray([.. list.Children.Select(Convert)]),
            YamlScalarNode { Style: not ScalarStyle.Plain } text => JsonValue.Create(text.Value),
            YamlScalarNode plain => Plain(plain.Value ?? ""),
            _ => null,
        };

    private const double LargestNumber = 1e15;

    private static JsonValue? Plain(string text) =>
        text switch
        {
            "" or "~" or "null" => null,
            "true" => JsonValue.Create(true),
            "false" => JsonValue.Create(false),
            _ when text.StartsWith("0x", StringComparison.Ordinal)
                    && long.TryParse(text.AsSpan(2), NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out var hex) =>
                JsonValue.Create(hex),
            _ when long.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var whole) => JsonValue.Create(
                whole
            ),
            _ when double.TryParse(text, NumberStyles.Float & ~NumberStyles.AllowTrailingWhite, CultureInfo.InvariantCulture, out var real)
                    // No number of a card is beyond these; what is, stays a text, and the schema says what was expected.
                    && Math.Abs(real) <= LargestNumber => JsonValue.Create(real),
            _ => JsonValue.Create(text),
        };
}
