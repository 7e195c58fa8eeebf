namespace Buttonhook.Core.Boards;

/// <summary>One physical board on the bench.</summary>
/// <param name="ToldBy">How its identity is known: mark, loader, person; several may agree.</param>
/// <param name="ImageId">The image chosen for it, or null.</param>
/// <param name="Changes">What was changed on its card so far, in order, in plain words.</param>
public sealed record Board(
    string Id,
    string Nickname,
    string ModelId,
    string RevisionId,
    int MemoryMiB,
    Connected Connected,
    IReadOnlyList<string> ToldBy,
    string? ImageId,
    IReadOnlyList<string> Changes,
    bool Simulated
);

/// <summary>What is connected to a board; null means nothing there.</summary>
/// <param name="CardGb">The label on the card in GB.</param>
/// <param name="SupplyId">A supply of the catalogue.</param>
/// <param name="AdapterId">A console adapter of the catalogue.</param>
public sealed record Connected(int? CardGb, bool Screen, bool Network, string? SupplyId, string? AdapterId);

/// <summary>A power supply: volts and rated amperes.</summary>
public sealed record Supply(string Id, string Name, double Volts, double Amps);

/// <summary>A console adapter: the levels it speaks and the highest rate in bits per second that it reaches within 2 %.</summary>
public sealed record ConsoleAdapter(string Id, string Name, IReadOnlyList<ConsoleLevel> Levels, int MaxSpeed);

/// <summary>Everything known about models, images, supplies and adapters, by id.</summary>
public sealed record Catalogue(
    IReadOnlyList<BoardModel> Models,
    IReadOnlyList<Images.ImageCard> Images,
    IReadOnlyList<Supply> Supplies,
    IReadOnlyList<ConsoleAdapter> Adapters
)
{
    /// <summary>The model with this id, or null.</summary>
    public BoardModel? Model(string id) => Models.FirstOrDefault(m => m.Id == id);

    /// <summary>The image with this id, or null.</summary>
    public Images.ImageCard? Image(string? id) => Images.FirstOrDefault(i => i.Id == id);

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
        return $"{model.Name}{on}, revision {board.RevisionId}, {Sizes.Memory(board.MemoryMiB)}, {model.InstructionSet.Words()}";
    }
}
