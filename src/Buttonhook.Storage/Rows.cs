using System.Data;
using System.Globalization;
using System.Text.Json;
using Buttonhook.Core;
using Dapper;

namespace Buttonhook.Storage;

/// <summary>How rows are written in every store: put by their key, JSON in one form, times in one form.</summary>
internal static class Rows
{
    /// <summary>Inserts a row, or changes some columns of the one with the same key.</summary>
    /// <param name="key">The columns of the key, with commas between.</param>
    /// <param name="row">An object whose members are named as the columns are.</param>
    /// <param name="changed">The columns that a row takes over that is there already; "removed_at" brings one back that was removed.</param>
    public static void Put(this IDbConnection connection, string table, string key, object row, string[] changed)
    {
        var columns = row.GetType().GetProperties().Select(p => p.Name).ToList();
        var sets = changed.Select(c => c == "removed_at" ? "removed_at = NULL" : $"{c} = excluded.{c}");
        connection.Execute(
            $"INSERT INTO {table} ({string.Join(", ", columns)}) VALUES ({string.Join(", ", columns.Select(c => "@" + c))}) "
                + $"ON CONFLICT ({key}) DO UPDATE SET {string.Join(", ", sets)}",
            row
        );
    }

    /// <summary>A thing as its column holds it.</summary>
    public static string Json<T>(T thing) => JsonSerializer.Serialize(thing, DataFile.Json);

    /// <summary>A time as its column holds it (ISO 8601, with all digits, so that texts sort as times do).</summary>
    public static string At(DateTimeOffset time) => time.ToString("O", CultureInfo.InvariantCulture);
}
