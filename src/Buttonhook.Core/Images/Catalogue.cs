using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Images;

/// <summary>Everything known about models, images, supplies, adapters and revision codes, by id.</summary>
public sealed class Catalogue(
    IReadOnlyList<BoardProfile> models,
    IReadOnlyList<ImageProfile> images,
    IReadOnlyList<Supply> supplies,
    IReadOnlyList<ConsoleAdapter> adapters,
    IReadOnlyList<RevisionScheme> codes,
    IReadOnlyList<SupplyCable> cables,
    IReadOnlyList<FedPart> parts,
    IReadOnlyList<MeasuredCard> measured,
    IReadOnlyList<AdapterChip>? chips = null
)
{
    private readonly Dictionary<string, BoardProfile> modelsById = models.ToDictionary(m => m.Id);
    private readonly IReadOnlyList<ImageProfile> apart = ImageProfile.ToldApart(
        images,
        id => models.FirstOrDefault(m => m.Id == id)?.Name ?? id
    );
    private Dictionary<string, ImageProfile>? imagesById;

    /// <summary>Cards as they were measured.</summary>
    public IReadOnlyList<MeasuredCard> MeasuredCards => measured;

    /// <summary>What a label promises, as far as cards were measured.</summary>
    public CardBand CardBand { get; } = CardBand.Of(measured);

    /// <summary>All board models.</summary>
    public IReadOnlyList<BoardProfile> Models => models;

    /// <summary>All images.</summary>
    public IReadOnlyList<ImageProfile> Images => apart;

    /// <summary>All supplies.</summary>
    public IReadOnlyList<Supply> Supplies => supplies;

    /// <summary>All console adapters.</summary>
    public IReadOnlyList<ConsoleAdapter> Adapters => adapters;

    /// <summary>Chips of console adapters.</summary>
    public IReadOnlyList<AdapterChip> Chips => chips ?? [];

    /// <summary>All supply cables.</summary>
    public IReadOnlyList<SupplyCable> Cables => cables;

    /// <summary>All parts that a board may feed.</summary>
    public IReadOnlyList<FedPart> Parts => parts;

    /// <summary>All schemes of revision codes.</summary>
    public IReadOnlyList<RevisionScheme> Codes => codes;

    /// <summary>The model with this id, or null.</summary>
    public BoardProfile? Model(string id) => modelsById.GetValueOrDefault(id);

    /// <summary>The image with this id, or null.</summary>
    public ImageProfile? Image(string? id) => id is null ? null : (imagesById ??= apart.ToDictionary(i => i.Id)).GetValueOrDefault(id);

    /// <summary>The supply with this id, or null.</summary>
    public Supply? Supply(string? id) => Supplies.FirstOrDefault(s => s.Id == id);

    /// <summary>The adapter with this id, or null.</summary>
    public ConsoleAdapter? Adapter(string? id) => Adapters.FirstOrDefault(a => a.Id == id);

    /// <summary>One sentence that says what a board is ("Spindle 2, revision 1.3, 2 GB, 64-bit ARM").</summary>
    public string Describe(Board board)
    {
        if (Model(board.ModelId) is not { } model)
            return $"Model {board.ModelId}, which is no longer in the catalogue";
        var on = model.Carrier is null ? "" : $" on {model.Carrier}";
        return $"{model.Name}{on}, revision {board.RevisionId}, {(board.MemoryMiB is { } memory ? Sizes.Memory(memory) : "memory not known")}, {model.InstructionSet?.Words() ?? "processor not known"}";
    }
}
