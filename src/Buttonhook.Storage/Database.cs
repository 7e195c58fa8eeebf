using Buttonhook.Core;
using Dapper;
using Microsoft.Data.Sqlite;

namespace Buttonhook.Storage;

/// <summary>The SQLite file: write-ahead log, foreign keys on, numbered schema steps applied in order in one transaction each.</summary>
public sealed class Database : IDisposable
{
    private readonly string connectionString;

    private Database(string path) =>
        connectionString = new SqliteConnectionStringBuilder
        {
            DataSource = path,
            ForeignKeys = true,
            Pooling = true,
            DefaultTimeout = 10,
        }.ToString();

    /// <summary>Opens or makes the file and brings its schema up to date. A file from a newer Buttonhook, or one that is no database, is a problem and stays untouched.</summary>
    public static Answer<Database> Open(string path)
    {
        try
        {
            if (Path.GetDirectoryName(Path.GetFullPath(path)) is { } folder)
                Directory.CreateDirectory(folder);
            var database = new Database(path);
            using var connection = database.Connect();
            connection.Execute("PRAGMA journal_mode = WAL");
            return Upgrade(connection, path) is { } problem ? problem : database;
        }
        catch (SqliteException e)
        {
            return Trouble(e, path, "writable");
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return new Problem($"{path} should be writable.", e.Message, "Name another data folder with --data.");
        }
    }

    /// <summary>Whether every write is flushed to the disk before it counts as done; off only while data is made that can be made again.</summary>
    public bool Durable { get; set; } = true;

    /// <summary>An open connection: that of the unit of work which runs on this thread, or one of its own.</summary>
    public SqliteConnection Connect() => UnitOfWork.ConnectionOf(this) ?? Open();

    /// <summary>Begins what is stored whole or not at all.</summary>
    public UnitOfWork Begin() => UnitOfWork.Begin(this, Open);

    private SharedConnection Open()
    {
        var connection = new SharedConnection(connectionString);
        connection.CreateFunction<string, string?>("acting", EditScope.Ask);
        connection.Open();
        connection.Execute(Durable ? "PRAGMA synchronous = FULL" : "PRAGMA synchronous = OFF");
        return connection;
    }

    /// <summary>Writes the file anew without what was deleted or overwritten in it, and empties the log beside it (sqlite.org/lang_vacuum.html).</summary>
    public void Compact()
    {
        using var connection = Connect();
        connection.Execute("VACUUM");
        connection.Execute("PRAGMA wal_checkpoint(TRUNCATE)");
    }

    /// <summary>Closes the idle connections to this file; those in use close by themselves.</summary>
    public void Dispose()
    {
        using var connection = new SqliteConnection(connectionString);
        SqliteConnection.ClearPool(connection);
    }

    /// <summary>Opens a file that another process may use, to read it; its schema stays as it is.</summary>
    public static Answer<Database> Beside(string path)
    {
        try
        {
            var database = new Database(path);
            using var connection = database.Connect();
            connection.ExecuteScalar<long>("SELECT COUNT(*) FROM sqlite_master");
            return database;
        }
        catch (SqliteException e)
        {
            return Trouble(e, path, "readable");
        }
    }

    /// <summary>Copies all data as it is now into a new file, while others write: what they had stored when it ends is in it.</summary>
    public void CopyTo(string path)
    {
        using var from = Connect();
        Copy(from, path);
    }

    private static void Copy(SqliteConnection from, string path)
    {
        var connectionString = new SqliteConnectionStringBuilder { DataSource = path, Pooling = false }.ToString();
        using var into = new SqliteConnection(connectionString);
        into.Open();
        from.BackupDatabase(into);
        // A copy is one file: nothing of it waits in a log beside it.
        into.Execute("PRAGMA journal_mode = DELETE");
    }

    /// <summary>Looks whether a file is a whole database that this Buttonhook can use, and changes nothing; gives its schema.</summary>
    public static Answer<string> Check(string path)
    {
        try
        {
            using var connection = new SqliteConnection(
                new SqliteConnectionStringBuilder
                {
                    DataSource = path,
                    Mode = SqliteOpenMode.ReadOnly,
                    Pooling = false,
                }.ToString()
            );
            connection.Open();
            connection.CreateFunction<string, string?>("acting", EditScope.Ask);
            var version = connection.ExecuteScalar<long>("PRAGMA user_version");
            if (Unusable(version) is { } problem)
                return problem;
            var whole = connection.ExecuteScalar<string>("PRAGMA quick_check(1)");
            return whole == "ok"
                ? version.ToString(System.Globalization.CultureInfo.InvariantCulture)
                : new Problem("The data file should be whole.", $"SQLite says: {whole}", "Take another copy.");
        }
        catch (SqliteException e)
        {
            return Trouble(e, path, "readable");
        }
    }

    // Of the result codes of SQLite (sqlite.org/rescode.html): these alone say something of the data; the others are of disk and rights.
    internal const int Corrupt = 11;
    private const int Full = 13,
        NoDatabase = 26;

    private static Problem Trouble(SqliteException e, string path, string wanted) =>
        e.SqliteErrorCode switch
        {
            Full => new(
                $"There should be room on the disk of {path}.",
                "It is full.",
                "Make room and start again; what was stored before is kept."
            ),
            Corrupt or NoDatabase => new(
                $"{path} should be a Buttonhook database.",
                $"SQLite says: {e.Message}",
                "Name another data folder, or restore this file from a copy."
            ),
            _ => new(
                $"{path} should be {wanted}.",
                $"SQLite says: {e.Message}",
                "Check whether its disk is full or mounted read-only, and who may write there; or name another data folder with --data."
            ),
        };

    private static Problem? Unusable(long version)
    {
        var known = Steps().Count;
        return version < 0
                ? new(
                    "A Buttonhook database has a schema from 0 on.",
                    $"This file says {version}: it is no database of Buttonhook, or it was changed by another program.",
                    "Name another data folder, or restore this file from a copy."
                )
            : version > known
                ? new(
                    $"This Buttonhook knows data up to schema {known}.",
                    $"The file has schema {version}, from a newer Buttonhook.",
                    "Use the newer one, or another data folder."
                )
            : null;
    }

    private static Problem? Upgrade(SqliteConnection connection, string path)
    {
        var steps = Steps();
        var version = connection.ExecuteScalar<long>("PRAGMA user_version");
        if (Unusable(version) is { } problem)
            return problem;
        if (version == steps.Count)
            return null;
        // Data that the last version left are kept as they were, so that the way back is open.
        if (version > 0 && $"{path}.schema-{version}" is var before && !File.Exists(before))
        {
            Copy(connection, before + ".part");
            File.Move(before + ".part", before);
        }
        // A step that makes a table anew must not take with it what belongs to its rows; whether all is together again is looked at before it counts.
        connection.Execute("PRAGMA foreign_keys = OFF");
        try
        {
            for (var step = (int)version; step < steps.Count; step++)
            {
                using var transaction = connection.BeginTransaction();
                connection.Execute(steps[step], transaction: transaction);
                if (version > 0 && connection.Query<object>("PRAGMA foreign_key_check", transaction: transaction).Any())
                    return new(
                        $"{path} should hold together: every row belongs to one that is there.",
                        "Some belong to rows that are not there: the file was changed by another program, or is damaged.",
                        "Restore it from a copy; nothing of it was changed."
                    );
                connection.Execute($"PRAGMA user_version = {step + 1}", transaction: transaction);
                transaction.Commit();
            }
            return null;
        }
        finally
        {
            connection.Execute("PRAGMA foreign_keys = ON");
        }
    }

    /// <summary>The SQL of the schema steps, in the order in which they are applied; the version of a file is how many it has.</summary>
    public static IReadOnlyList<string> Steps()
    {
        var assembly = typeof(Database).Assembly;
        return
        [
            .. assembly
                .GetManifestResourceNames()
                .Where(n => n.EndsWith(".sql", StringComparison.Ordinal))
                .Order(StringComparer.Ordinal)
                .Select(n =>
                {
                    using var reader = new StreamReader(assembly.GetManifestResourceStream(n)!);
                    return reader.ReadToEnd();
                }),
        ];
    }
}
