using Microsoft.Data.Sqlite;

namespace Buttonhook.App;

/// <summary>Tells a full disk of this computer from other failures.</summary>
public static class FullDisk
{
    private const int Full = 13;
    private const int NoSpace = 28;
    private const int Quota = 122;

    /// <summary>Whether an exception says that there is no room: SQLite's SQLITE_FULL, or the system's ENOSPC and EDQUOT.</summary>
    public static bool Is(Exception? e) =>
        e switch
        {
            null => false,
            SqliteException sqlite => sqlite.SqliteErrorCode == Full,
            Hardware.Cards.CardException => Is(e.InnerException),
            IOException io => io.HResult is NoSpace or Quota || Is(io.InnerException),
            _ => Is(e.InnerException),
        };
}
