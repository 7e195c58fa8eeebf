using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage;

/// <summary>
/// What one press stores, whole or not at all, after a kill as well: one connection and one transaction, which every store on this thread
/// is given until it is disposed; nothing is kept unless <see cref="Commit"/> was called. One within another is a savepoint of it.
/// It belongs to one thread: nothing is awaited in it.
/// </summary>
public sealed class UnitOfWork : IDisposable
{
    [ThreadStatic]
    private static UnitOfWork? current;

    private readonly Database database;
    private readonly UnitOfWork? before;
    private readonly SharedConnection connection;
    private readonly SqliteTransaction transaction;
    private readonly string? savepoint;
    private readonly List<Action> whenOver;
    private bool over;

    private UnitOfWork(Database database, Func<SharedConnection> open)
    {
        this.database = database;
        before = current;
        if (Of(database) is { } outer)
        {
            (connection, transaction, whenOver) = (outer.connection, outer.transaction, outer.whenOver);
            savepoint = $"unit_{Guid.NewGuid():N}";
            transaction.Save(savepoint);
        }
        else
        {
            connection = open();
            try
            {
                // Who reads first and writes then would be refused when another wrote in between.
                transaction = connection.BeginTransaction(deferred: false);
            }
            catch
            {
                connection.Dispose();
                throw;
            }
            connection.Shared = true;
            whenOver = [];
        }
        current = this;
    }

    /// <summary>Begins one; waits while another process or thread writes, and throws <see cref="SqliteException"/> (5) when that takes long.</summary>
    internal static UnitOfWork Begin(Database database, Func<SharedConnection> open) => new(database, open);

    private static UnitOfWork? Of(Database database)
    {
        var unit = current;
        while (unit is not null && unit.database != database)
            unit = unit.before;
        return unit;
    }

    /// <summary>The connection that a store uses while a unit runs on this thread; null while none does.</summary>
    internal static SharedConnection? ConnectionOf(Database database) => Of(database)?.connection;

    /// <summary>Does something once the unit that runs on this thread is over, kept or not: others then see what is stored. At once when none runs.</summary>
    public static void WhenOver(Action action)
    {
        if (current is { } unit)
            unit.whenOver.Add(action);
        else
            action();
    }

    /// <summary>Keeps what was stored: for good when it is the outermost, else together with that. It is over then.</summary>
    public void Commit()
    {
        if (savepoint is null)
            transaction.Commit();
        else
            transaction.Release(savepoint);
        End();
    }

    /// <summary>Ends it; what was not committed is as it was before.</summary>
    public void Dispose()
    {
        if (over)
            return;
        try
        {
            if (savepoint is not null)
            {
                transaction.Rollback(savepoint);
                transaction.Release(savepoint);
            }
        }
        catch (Exception e) when (e is SqliteException or InvalidOperationException)
        {
            // A full disk ends the whole transaction (sqlite.org/lang_transaction.html): then the outer one is gone as well, and says so.
        }
        End();
    }

    private void End()
    {
        if (current != this)
            throw new InvalidOperationException("A unit of work ends on the thread where it began, the inner one first.");
        current = before;
        over = true;
        if (savepoint is not null)
            return;
        transaction.Dispose();
        connection.Shared = false;
        connection.Dispose();
        foreach (var action in whenOver)
            action();
    }
}

/// <summary>A connection that stays open while a unit of work holds it, whoever disposes of it.</summary>
internal sealed class SharedConnection(string connectionString) : SqliteConnection(connectionString)
{
    /// <summary>Whether a unit of work holds it.</summary>
    public bool Shared { get; set; }

    /// <inheritdoc/>
    public override void Close()
    {
        if (!Shared)
            base.Close();
    }

    /// <inheritdoc/>
    protected override void Dispose(bool disposing)
    {
        if (!Shared)
            base.Dispose(disposing);
    }
}
