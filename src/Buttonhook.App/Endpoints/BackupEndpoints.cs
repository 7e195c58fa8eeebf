using Buttonhook.App.Keeping;
using Buttonhook.Core;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>Where a bench's data are.</summary>
/// <param name="Folder">The data folder.</param>
/// <param name="Bytes">Of the data file; images and written cards are not counted.</param>
public sealed record DataView(string Folder, long Bytes);

/// <summary>All data as one file.</summary>
public static class BackupEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapBackup(this RouteGroupBuilder api)
    {
        api.MapGet(
            "/data",
            (BenchOptions options) =>
            {
                var file = new FileInfo(Path.Combine(options.DataFolder, "buttonhook.db"));
                return new DataView(Path.GetFullPath(options.DataFolder), file.Exists ? file.Length : 0);
            }
        );
        api.MapGet("/backup.zip", Write);
    }

    /// <summary>A backup goes into a nameless file first: what a slow reader takes is what was there when it asked. It holds password hashes and wireless keys, so it stays at this computer.</summary>
    private static IResult Write(Database database, BenchOptions options, TimeProvider clock, HttpContext context)
    {
        if (context.RequestServices.GetService<Sharing>() is { } sharing && context.Connection.LocalPort == sharing.Port)
            return new Problem(
                "All data are taken at the computer that Buttonhook runs on.",
                "They hold password hashes and wireless keys, and this is another device.",
                "Take them there, or with ./buttonhook backup."
            ).Answer(StatusCodes.Status403Forbidden);
        var now = clock.GetUtcNow();
        var file = Scratch.File();
        try
        {
            Backup.Write(database, options.DataFolder, file, Path.Combine(options.DataFolder, "scratch"), now);
            file.Position = 0;
            return Results.File(file, "application/zip", $"buttonhook-{now.UtcDateTime:yyyyMMdd-HHmm}.zip");
        }
        catch
        {
            file.Dispose();
            throw;
        }
    }
}
