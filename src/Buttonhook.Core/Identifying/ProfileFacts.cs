using System.Text.Json.Nodes;
using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Identifying;

/// <summary>One fact that is put on a board profile.</summary>
/// <param name="Field">console.device, console.speed, console.level, console.where, console.ground, console.transmit, console.receive, power.volts, power.amps, power.minimumVolts, power.connector, power.usbAmps, power.negotiates, memoryMiB, instructionSet, loader, bootMedia, banner, maker, name, processor, mark or compatible.</param>
/// <param name="Value">As the card's schema wants it; null makes it unknown again.</param>
/// <param name="From">Where it is known from.</param>
public sealed record ProfileFact(string Field, JsonNode? Value, string From);

/// <summary>A fact that a source tells differently from the card, or that the card does not know yet.</summary>
/// <param name="Before">What the card says, or null.</param>
/// <param name="BeforeFrom">Where the card has it from, or null.</param>
/// <param name="Decides">The look that decides, when the source contradicts what a person told; null when the source is the better one.</param>
public sealed record CardLesson(string Field, string? Before, string? BeforeFrom, string After, string From, string? Decides);

/// <summary>Puts single facts on a board profile, each with its source, and tells what a draft from another source would add.</summary>
public static class ProfileFacts
{
    /// <summary>The fields that may be set one by one, in the order in which a person is asked.</summary>
    public static IReadOnlyList<string> Fields { get; } =
    [
        "mark",
        "maker",
        "name",
        "instructionSet",
        "memoryMiB",
        "console.device",
        "console.speed",
        "console.level",
        "console.where",
        "console.ground",
        "console.transmit",
        "console.receive",
        "power.volts",
        "power.amps",
        "power.connector",
        "power.minimumVolts",
        "power.usbAmps",
        "power.negotiates",
        "bootMedia",
        "loader",
        "processor",
        "banner",
        "compatible",
    ];

    private static readonly HashSet<string> OfRevision = ["mark", "compatible"];

    /// <summary>The card with these facts on it; a field that is none, or a value that the schema of cards refuses, is a problem.</summary>
    public static Answer<BoardProfile> Set(BoardProfile card, string revisionId, IReadOnlyList<ProfileFact> facts, ProfileSchemas schemas)
    {
        var tree = DataFile.Tree(card).AsObject();
        var sources = tree["sources"] as JsonObject ?? [];
        tree["sources"] = sources;
        foreach (var fact in facts)
        {
            if (!Fields.Contains(fact.Field))
                return new Problem(
                    "A fact has a name that profiles know.",
                    $"{fact.Field} is none.",
                    $"Names are {string.Join(", ", Fields)}."
                );
            JsonObject owner = tree;
            var name = fact.Field;
            if (OfRevision.Contains(name))
            {
                if (tree["revisions"]!.AsArray().FirstOrDefault(r => (string?)r!["id"] == revisionId) is not JsonObject revision)
                    return new Problem($"{card.Name} should have the revision {revisionId}.", "It has not.", "Choose one that it has.");
                owner = revision;
            }
            else if (name.Split('.') is [var part, var last])
                (owner, name) = (tree[part]!.AsObject(), last);
            owner[name] = fact.Value?.DeepClone() ?? (name is "memoryMiB" or "bootMedia" ? new JsonArray() : null);
            if (fact.Value is null)
                sources.Remove(fact.Field);
            else
                sources[fact.Field] = fact.From;
        }
        return DataFile.Read<BoardProfile>("The card", tree, schemas.Board);
    }

    /// <summary>What a draft from another source knows better: what the card does not know, and what it says otherwise. A person's own word is contradicted, never overruled.</summary>
    public static IReadOnlyList<CardLesson> Lessons(BoardProfile card, string revisionId, ProfileDraft draft)
    {
        var lessons = new List<CardLesson>();
        var (have, told) = (Values(card, revisionId), Values(draft.Card, draft.Card.Revisions[0].Id));
        foreach (var field in Fields)
        {
            if (told.GetValueOrDefault(field) is not { } after || draft.Card.Sources?.GetValueOrDefault(field) is not { } from)
                continue;
            var before = have.GetValueOrDefault(field);
            // Names are a matter of the person, and one of several sizes on a card is no contradiction.
            if (
                before == after
                || before is not null && field is "name" or "maker" or "banner" or "compatible"
                || field == "memoryMiB" && before is not null && card.MemoryMiB.Contains(draft.Card.MemoryMiB[0])
            )
                continue;
            var byPerson =
                before is not null && card.Sources?.GetValueOrDefault(field)?.StartsWith(ByPerson, StringComparison.Ordinal) == true;
            lessons.Add(new(field, before, before is null ? null : card.SourceOf(field), after, from, byPerson ? Decides(field) : null));
        }
        return lessons;
    }

    private static string Decides(string field) =>
        field switch
        {
            "console.speed" => "A log that can be read came at its own speed: look at the speed that the capture was set to.",
            "console.device" => "Look for “console=” in the kernel's command line, and for the line in which the kernel enables it.",
            "memoryMiB" => "Read the print on the memory chips; a loader may count less than is fitted.",
            "mark" => "Look at the print on the board.",
            "instructionSet" or "processor" => "Read the print on the processor.",
            _ => "Look at the board, and at the line of the log.",
        };

    /// <summary>Whether a card says nothing of a field.</summary>
    public static bool Unknown(BoardProfile card, string revisionId, string field)
    {
        var tree = DataFile.Tree(card).AsObject();
        var value =
            OfRevision.Contains(field) ? tree["revisions"]!.AsArray().FirstOrDefault(r => (string?)r!["id"] == revisionId)?[field]
            : field.Split('.') is [var part, var last] ? tree[part]?[last]
            : tree[field];
        return value is null or JsonArray { Count: 0 } || value.ToString() == "unknown";
    }

    /// <summary>The lessons as facts that can be set.</summary>
    public static IReadOnlyList<ProfileFact> Of(IReadOnlyList<CardLesson> lessons, ProfileDraft draft, string from)
    {
        var tree = DataFile.Tree(draft.Card).AsObject();
        JsonNode? Value(string field) =>
            OfRevision.Contains(field) ? tree["revisions"]![0]![field]
            : field.Split('.') is [var part, var last] ? tree[part]![last]
            : tree[field];
        return [.. lessons.Select(l => new ProfileFact(l.Field, Value(l.Field), $"{from}, {l.From}"))];
    }

    /// <summary>How the source of a fact begins that a person told.</summary>
    public const string ByPerson = "you";

    private static Dictionary<string, string?> Values(BoardProfile card, string revisionId)
    {
        var revision = card.Revision(revisionId);
        return new()
        {
            ["mark"] = revision?.Mark,
            ["compatible"] = revision?.Compatible,
            ["maker"] = card.Maker,
            ["name"] = card.Name,
            ["instructionSet"] = card.InstructionSet?.Words(),
            ["memoryMiB"] = card.MemoryMiB.Count == 0 ? null : string.Join(" or ", card.MemoryMiB.Select(Sizes.Memory)),
            ["console.device"] = card.Console.Device,
            ["console.speed"] = card.Console.Speed is { } speed ? $"{speed} bits a second" : null,
            ["processor"] = card.Processor,
            ["banner"] = card.Banner,
            ["loader"] = card.Loader,
        };
    }
}
