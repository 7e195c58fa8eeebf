using System.Text.Json;
using System.Text.Json.Serialization;
using Buttonhook.Core;

namespace Buttonhook.App;

/// <summary>Text on its way to the page: what turns its direction round is shown as a mark. Files that are given out keep every character.</summary>
internal sealed class ShownText : JsonConverter<string>
{
    /// <inheritdoc/>
    public override string? Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) => reader.GetString();

    /// <inheritdoc/>
    public override void Write(Utf8JsonWriter writer, string value, JsonSerializerOptions options) =>
        writer.WriteStringValue(Directions.Shown(value));

    /// <inheritdoc/>
    public override string ReadAsPropertyName(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
        reader.GetString()!;

    /// <inheritdoc/>
    public override void WriteAsPropertyName(Utf8JsonWriter writer, string value, JsonSerializerOptions options) =>
        writer.WritePropertyName(Directions.Shown(value));
}
