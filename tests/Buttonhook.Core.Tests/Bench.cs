using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Simulating;

namespace Buttonhook.Core.Tests;

/// <summary>The catalogue of the demo and boards of it.</summary>
public static class Bench
{
    private sealed record Parts(
        IReadOnlyList<Supply> Supplies,
        IReadOnlyList<SupplyCable> Cables,
        [property: System.Text.Json.Serialization.JsonPropertyName("parts")] IReadOnlyList<FedPart> Fed,
        IReadOnlyList<ConsoleAdapter> Adapters,
        IReadOnlyList<MeasuredCard> MeasuredCards,
        IReadOnlyList<AdapterChip> Chips
    );

    public static Catalogue Catalogue { get; } = Read();

    private static Catalogue Read()
    {
        var general = One<Parts>("knowledge/parts.yaml", "parts");
        var parts = general with { Fed = [.. general.Fed, .. One<Parts>("demo/parts.yaml", "parts").Fed] };
        return new(
            Many<BoardProfile>("demo/boards", "board"),
            Many<ImageProfile>("demo/images", "image"),
            parts.Supplies,
            parts.Adapters,
            Many<RevisionScheme>("demo/codes", "revision-code"),
            parts.Cables,
            parts.Fed,
            parts.MeasuredCards,
            parts.Chips
        );
    }

    /// <summary>The catalogue with more cards in it.</summary>
    public static Catalogue With(IReadOnlyList<BoardProfile> models, IReadOnlyList<ImageProfile> images) =>
        new(
            [.. Catalogue.Models, .. models],
            [.. Catalogue.Images, .. images],
            Catalogue.Supplies,
            Catalogue.Adapters,
            Catalogue.Codes,
            Catalogue.Cables,
            Catalogue.Parts,
            Catalogue.MeasuredCards
        );

    private static IReadOnlyList<T> Many<T>(string folder, string schema)
        where T : class => [.. Directory.GetFiles(Path.Combine(Knowledge.Data, folder)).Order().Select(f => One<T>(f, schema))];

    private static T One<T>(string file, string schema)
        where T : class
    {
        var read = DataFile.Read<T>(
            file,
            File.ReadAllText(Path.Combine(Knowledge.Data, file)),
            File.ReadAllText(Path.Combine(Knowledge.Root, $"docs/formats/{schema}.schema.json"))
        );
        return read.Value ?? throw new InvalidOperationException(read.Problem!.ToString());
    }

    public static Board Board(string model, string? revision = null, int? card = 32, string? image = null, bool screen = false)
    {
        var card0 = Catalogue.Model(model)!;
        var supply = Catalogue.Supplies.Last(s =>
            Math.Abs(s.Volts - card0.Power.Volts!.Value) < 0.3 && s.Amps >= card0.Power.Amps && s.Plug == card0.Power.Connector
        );
        var adapter = Catalogue.Adapters.First(a => a.Levels.Contains(card0.Console.Level));
        return new(
            "id",
            "Quince",
            model,
            revision ?? card0.Revisions[^1].Id,
            card0.MemoryMiB[^1],
            new(card, screen, true, supply.Id, adapter.Id),
            ["mark"],
            image,
            [],
            true
        );
    }

    public static ImageProfile ImageFor(string model) =>
        Catalogue.Images.First(i => i.Flavour == "server" && i.Supports.Any(s => s.Model == model));

    public static SimulationPlan Plan(string model, string? fault = null, int seed = 1, int? listen = null)
    {
        var image = ImageFor(model);
        var board = Board(model, image: image.Id);
        var card = Catalogue.Model(model)!;
        return new(board, card, image, fault, listen ?? card.Console.Speed!.Value, seed);
    }

    public static byte[] Log(SimulationPlan plan) => [.. new SimulatedBoard(plan).Advance(400_000).SelectMany(p => p.Bytes)];
}
