using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Storage;

namespace Buttonhook.App.Commands;

/// <summary>The cards of a person's own data folder, for commands.</summary>
internal static class OwnProfiles
{
    /// <summary>The cards of a data folder; those of the demo belong to the folder of the demo alone.</summary>
    public static Answer<Profiles> Of(string? folder)
    {
        var knowledge = KnowledgeFiles.Read(DataFolder.IsDemo(folder ?? BenchOptions.UsualFolder));
        if (knowledge.Value is not { } known)
            return knowledge.Problem!;
        DataFolder.ForOwnerAlone();
        var opened = Database.Open(DataFolder.DataFile(folder ?? BenchOptions.UsualFolder));
        return opened.Value is { } database
            ? new Profiles(known, new ProfileStore(database), new PreparationStore(database), new PartStore(database), TimeProvider.System)
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

    /// <summary>The board of a person's bench that is called by its id or its nickname; null when there is none, or no bench.</summary>
    public static Board? BoardOf(string? folder, string word)
    {
        var file = DataFolder.DataFile(folder ?? BenchOptions.UsualFolder);
        if (!File.Exists(file) || Database.Open(file).Value is not { } database)
            return null;
        using (database)
            return new BoardStore(database)
                .All()
                .Select(b => b.Board)
                .FirstOrDefault(b => b.Id == word || b.Nickname.Equals(word, StringComparison.OrdinalIgnoreCase));
    }
}
