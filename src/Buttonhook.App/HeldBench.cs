using Buttonhook.Core;
using Buttonhook.Storage;

namespace Buttonhook.App;

/// <summary>A data folder that this process holds, with its data file open and what the program knows: what a server stands on.</summary>
internal sealed class HeldBench : IDisposable
{
    private readonly DataFolder folder;

    private HeldBench(DataFolder folder, Database database, KnowledgeFiles known)
    {
        this.folder = folder;
        Database = database;
        Known = known;
    }

    /// <summary>The data file.</summary>
    public Database Database { get; }

    /// <summary>The data files that ship with the application.</summary>
    public KnowledgeFiles Known { get; }

    /// <summary>Takes hold of a data folder; a problem when another server holds it, or when its data file or the shipped ones cannot be read.</summary>
    /// <param name="withDemo">Whether what is invented for the demo belongs to it; it does to a folder of the demo in any case.</param>
    public static Answer<HeldBench> Open(string folder, bool withDemo)
    {
        var knowledge = KnowledgeFiles.Read(withDemo || DataFolder.IsDemo(folder));
        if (knowledge.Value is not { } known)
            return knowledge.Problem!;
        DataFolder.ForOwnerAlone();
        var holding = DataFolder.Hold(folder);
        if (holding.Value is not { } held)
            return holding.Problem!;
        var opened = Database.Open(DataFolder.DataFile(folder));
        if (opened.Value is { } database)
            return new HeldBench(held, database, known);
        held.Dispose();
        return opened.Problem!;
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        Database.Dispose();
        folder.Dispose();
    }
}
