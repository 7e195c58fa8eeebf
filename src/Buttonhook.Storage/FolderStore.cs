using Dapper;

namespace Buttonhook.Storage;

/// <summary>Folders of this computer in which a person keeps downloads.</summary>
public sealed class FolderStore(Database database)
{
    /// <summary>Their whole paths, in the order in which they were named.</summary>
    public IReadOnlyList<string> All()
    {
        using var connection = database.Connect();
        return [.. connection.Query<string>("SELECT path FROM folders ORDER BY added_at, path")];
    }

    /// <summary>Adds one; one that is there stays.</summary>
    public void Add(string path, DateTimeOffset at)
    {
        using var connection = database.Connect();
        connection.Execute("INSERT OR IGNORE INTO folders (path, added_at) VALUES (@path, @at)", new { path, at = Rows.At(at) });
    }

    /// <summary>Takes one away, not what lies in it; false when it is not there.</summary>
    public bool Remove(string path)
    {
        using var connection = database.Connect();
        return connection.Execute("DELETE FROM folders WHERE path = @path", new { path }) > 0;
    }
}
