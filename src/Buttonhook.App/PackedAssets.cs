using Microsoft.AspNetCore.StaticFiles;

namespace Buttonhook.App;

/// <summary>Serves the page's files: those with a hash in their name are kept by the browser for good, and come packed (Brotli, made at build) where it takes that.</summary>
internal static class PackedAssets
{
    private const string Folder = "/assets";
    private const string Packed = ".br";
    private const string ForGood = "public, max-age=31536000, immutable";

    /// <summary>The page itself: it names the files that belong to it, so a browser asks for it each time.</summary>
    public static StaticFileOptions AskedAgain { get; } =
        new() { OnPrepareResponse = sent => sent.Context.Response.Headers.CacheControl = "no-cache" };

    /// <summary>Adds the files; must stand before the routes.</summary>
    public static void UsePackedAssets(this WebApplication app)
    {
        var types = new FileExtensionContentTypeProvider();
        types.Mappings[Packed] = "application/octet-stream";
        app.Use(
            (context, next) =>
            {
                if (TakesBrotli(context.Request) && app.Environment.WebRootFileProvider.GetFileInfo(context.Request.Path + Packed).Exists)
                    context.Request.Path += Packed;
                return next(context);
            }
        );
        app.UseDefaultFiles();
        app.UseStaticFiles(
            new StaticFileOptions
            {
                ContentTypeProvider = types,
                OnPrepareResponse = sent =>
                {
                    var headers = sent.Context.Response.Headers;
                    headers.CacheControl = sent.Context.Request.Path.StartsWithSegments(Folder) ? ForGood : "no-cache";
                    headers.Vary = "Accept-Encoding";
                    if (!sent.File.Name.EndsWith(Packed, StringComparison.Ordinal))
                        return;
                    headers.ContentEncoding = "br";
                    if (types.TryGetContentType(sent.File.Name[..^Packed.Length], out var type))
                        headers.ContentType = type;
                },
            }
        );
    }

    private static bool TakesBrotli(HttpRequest request) =>
        request.Path.StartsWithSegments(Folder)
        && (HttpMethods.IsGet(request.Method) || HttpMethods.IsHead(request.Method))
        && request.GetTypedHeaders().AcceptEncoding.Any(e => e.Value == "br" && e.Quality is not 0);
}
