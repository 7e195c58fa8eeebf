using Buttonhook.App.Keeping;
using Buttonhook.Core;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>All data as one file.</summary>
public static class BackupEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapBackup(this RouteGroupBuilder api) => api.MapGet("/backup.zip", Write);

    /// <summary>A backup goes into a nameless file first: what a slow reader takes is what was there when it asked. It holds password hashes and wireless keys, so it stays at this computer.</summary>
    private static IResult Write(Database database, BenchOptions options, TimeProvider clock, HttpContext context)
    {
        if (context.RequestServices.GetService<Sharing>()?.Is(context) == true)
            return new Problem(
                "All data are taken at the computer that Buttonhook runs on.",
                "They hold password hashes and wireless keys, and this is another device.",
                "Take them there, or with ./buttonhook backup."
            ).Answer(StatusCodes.Status403Forbidden);
        var now = clock.GetUtcNow();
        var file = Scratch.File();
        try
        {
            Backup.Write(database, options.DataFolder, file, Scratch.Folder, now);
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
