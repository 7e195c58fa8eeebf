using System.Text.Json.Nodes;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using YamlDotNet.Core;

namespace Buttonhook.Core.Keeping;

/// <summary>Cards of any kind together: one file with one or more YAML documents, each with its format.</summary>
/// <param name="Experiences">What other benches learnt.</param>
public sealed record ProfilePack(
    IReadOnlyList<BoardProfile> Boards,
    IReadOnlyList<ImageProfile> Images,
    IReadOnlyList<RevisionScheme> Codes,
    IReadOnlyList<Experience> Experiences
)
{
    /// <summary>No cards.</summary>
    public static ProfilePack Empty { get; } = new([], [], [], []);

    /// <summary>Most cards in one file.</summary>
    public const int Most = 20_000;

    /// <summary>How many cards there are.</summary>
    public int Count => Boards.Count + Images.Count + Codes.Count + Experiences.Count;

    /// <summary>Reads a file of cards, all or none of them; the problem names the document and the place in it.</summary>
    public static Answer<ProfilePack> Read(string name, string yaml, ProfileSchemas schemas)
    {
        IReadOnlyList<JsonNode?> documents;
        try
        {
            documents = DataFile.Documents(yaml);
        }
        catch (YamlException e)
        {
            return new Problem($"{name} should be YAML.", $"Line {e.Start.Line}: {e.Message}", "Correct that line.");
        }
        if (documents.Count is 0 or > Most)
            return new Problem(
                $"{name} should hold 1 to {Most} profiles.",
                $"It holds {documents.Count}.",
                "Each card is one YAML document that begins with its format."
            );
        var (boards, images, codes) = (new List<BoardProfile>(), new List<ImageProfile>(), new List<RevisionScheme>());
        var experiences = new List<Experience>();
        for (var i = 0; i < documents.Count; i++)
        {
            var title = documents.Count == 1 ? name : $"Document {i + 1} of {name}";
            var format = documents[i] is JsonObject map && map["format"] is JsonValue value ? value.ToString() : null;
            var problem = format switch
            {
                BoardProfile.ProfileFormat => Add(boards, DataFile.Read<BoardProfile>(title, documents[i], schemas.Board)),
                ImageProfile.ProfileFormat => Add(images, DataFile.Read<ImageProfile>(title, documents[i], schemas.Image)),
                RevisionScheme.CodeFormat => Add(codes, DataFile.Read<RevisionScheme>(title, documents[i], schemas.RevisionCode)),
                Experience.ExperienceFormat => Add(experiences, DataFile.Read<Experience>(title, documents[i], schemas.Experience)),
                _ => new Problem(
                    $"{title} should begin with format: {BoardProfile.ProfileFormat}, {ImageProfile.ProfileFormat}, {RevisionScheme.CodeFormat} or {Experience.ExperienceFormat}.",
                    format is null ? "It has no format." : $"It has {format}.",
                    "A newer Buttonhook may have written it; correct the first line if not."
                ),
            };
            if (problem is not null)
                return problem;
        }
        var twice = boards
            .Select(b => b.Id)
            .Concat(images.Select(c => c.Id))
            .Concat(codes.Select(c => c.Id))
            .Concat(experiences.Select(e => $"experience {e.Id}"))
            .GroupBy(c => c)
            .FirstOrDefault(g => g.Count() > 1);
        return twice is null
            ? new ProfilePack(boards, images, codes, experiences)
            : new Problem(
                $"Every profile of {name} should have its own id.",
                $"{twice.Key} is there twice.",
                "Give one of them another id."
            );
    }

    private static Problem? Add<T>(List<T> list, Answer<T> read)
        where T : class
    {
        if (read.Value is { } card)
            list.Add(card);
        return read.Problem;
    }

    /// <summary>Writes all cards as one file that <see cref="Read"/> reads back equal.</summary>
    public string Write() =>
        string.Join(
            "---\n",
            [
                .. Boards.Select(DataFile.Write),
                .. Images.Select(DataFile.Write),
                .. Codes.Select(DataFile.Write),
                .. Experiences.Select(DataFile.Write),
            ]
        );
}
