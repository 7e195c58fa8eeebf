using System.Globalization;
using System.Text.Json.Nodes;
using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Storage;

namespace Buttonhook.App.Boards;

/// <summary>Says in a sentence what an edit changed, from the things before and after.</summary>
public sealed class EditWords(Catalogue catalogue, BoardStore boards, EditStore edits)
{
    private const string Nothing = "not known";

    /// <summary>One sentence for an edit.</summary>
    public string Of(Edit edit)
    {
        if (edit.Undoes is { } id)
            return edits.Find(id) is { } other ? $"Taken back: {Of(other)}" : "An earlier change was taken back.";
        return edit.Says ?? string.Join(" ", edit.Rows.Select(Of).Distinct());
    }

    private string Of(EditRow row)
    {
        var name = NameOf(row);
        var (gone, was) = (row.After["removed_at"] is not null, row.Before?["removed_at"] is not null);
        if (row.Kind == "board")
            return row.Before is null ? $"{name} was put on the bench."
                : gone && !was ? $"{name} was removed from the bench."
                : was && !gone ? $"{name} was put back on the bench."
                : $"{name}: {Board(row.Before, row.After)}.";
        var what = row.Kind switch
        {
            "board-card" => $"The board profile {name}",
            "image-card" => $"The image {name}",
            "code-card" => $"The revision code {name}",
            "experience-card" => $"What another bench told ({name})",
            "log" => $"Boot {row.After["number"]}",
            "photo" => name.Length == 0 ? "A photo" : $"The photo “{name}”",
            "recipe" => $"The recipe {name}",
            "correction" => $"The correction “{name}”",
            _ => $"The {row.Kind} {name}",
        };
        if (row.BoardId is { } board && boards.Find(board) is { } bench)
            what = $"{bench.Board.Nickname}: {char.ToLowerInvariant(what[0])}{what[1..]}";
        return row.Before is null
            ? row.Kind == "correction"
                ? $"{what} was noted."
                : $"{what} was added."
            : gone && !was
                ? $"{what} was removed."
                : was && !gone
                    ? $"{what} was put back."
                    : $"{what} was changed.";
    }

    private static string NameOf(EditRow row)
    {
        string? Text(string field) => (string?)row.After[field];
        if (row.Kind == "board")
            return row.Nickname!;
        if (row.Kind is "correction" or "log" or "photo")
            return Text("text") ?? Text("says") ?? "";
        var inside = (Text("card") ?? Text("part") ?? Text("recipe")) is { } json ? JsonNode.Parse(json) : null;
        return string.Join(
            " ",
            new[] { (string?)inside?["name"] ?? row.Key, row.Kind == "image-card" ? (string?)inside?["version"] : null }.OfType<string>()
        );
    }

    private string Board(JsonObject before, JsonObject after)
    {
        var says = new List<string>();
        foreach (var (field, now) in after)
        {
            if (field is "removed_at" or "card_number" || JsonNode.DeepEquals(before[field], now))
                continue;
            var (from, to) = (Value(field, before[field]), Value(field, now));
            if (Words(field, to) is { } words)
                says.Add($"{words}{(from == Nothing || field is "told_card" or "told_by" or "parts" ? "" : $" instead of {from}")}");
        }
        return says.Count > 0 ? string.Join(", ", says) : "another card was put in";
    }

    private static string? Words(string field, string to) =>
        field switch
        {
            "nickname" => $"it is called {to}",
            "model_id" => $"it is a {to}",
            "revision_id" => $"its revision is {to}",
            "memory_mib" => $"its memory is {to}",
            "card_gb" => $"its card is {to}",
            "supply_id" => $"its supply is {to}",
            "cable_id" => $"its supply cable is {to}",
            "adapter_id" => $"its console adapter is {to}",
            "image_id" => $"its image is {to}",
            "screen" => $"a screen: {to}",
            "network" => $"the network: {to}",
            "told_card" => to == Nothing ? "its card was not written elsewhere after all" : "its card was written elsewhere",
            "told_by" => "how it was told changed",
            "parts" => "what it feeds changed",
            "fault_id" => $"the fault put into it is {to}",
            _ => null,
        };

    private string Value(string field, JsonNode? value) =>
        value is null
            ? Nothing
            : field switch
            {
                "model_id" => catalogue.Model((string)value!)?.Name ?? (string)value!,
                "image_id" => catalogue.Image((string)value!)?.Title ?? (string)value!,
                "supply_id" => catalogue.Supply((string)value!)?.Name ?? (string)value!,
                "adapter_id" => catalogue.Adapter((string)value!)?.Name ?? (string)value!,
                "cable_id" => catalogue.Cables.FirstOrDefault(c => c.Id == (string)value!)?.Name ?? (string)value!,
                "memory_mib" => Sizes.Memory((int)value!),
                "card_gb" => $"{((int)value!).ToString(CultureInfo.InvariantCulture)} GB",
                "screen" or "network" => (int)value! == 0 ? "no" : "yes",
                _ => value.ToString(),
            };
}
