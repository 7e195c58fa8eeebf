using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Storage;

namespace Buttonhook.App.Commands;

/// <summary>The cards of a person's own data folder, for commands.</summary>
internal static class OwnCards
{
    /// <summary>The cards of a data folder; those of the demo belong to the folder of the demo alone.</summary>
    public static Answer<Cards> Of(string? folder)
    {
        var knowledge = KnowledgeFiles.Read(DataFolder.IsDemo(folder ?? BenchOptions.UsualFolder));
        if (knowledge.Value is not { } known)
            return knowledge.Problem!;
        DataFolder.ForOwnerAlone();
        var opened = Database.Open(DataFolder.DataFile(folder ?? BenchOptions.UsualFolder));
        return opened.Value is { } database
            ? new Cards(known, new CardStore(database), new PreparationStore(database), new PartStore(database), TimeProvider.System)
            : opened.Problem!;
    }

    /// <summary>The catalogue with the cards that a person added, where there are any: looking makes no data folder.</summary>
    public static Answer<Catalogue> CatalogueOf(KnowledgeFiles known, string? folder)
    {
        if (folder is not null || File.Exists(DataFolder.DataFile(BenchOptions.UsualFolder)))
        {
            var own = Of(folder);
            return own.Value is { } cards ? cards.Catalogue : own.Problem!;
        }
        return known.Catalogue;
    }
}
