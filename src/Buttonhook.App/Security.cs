using System.Net;
using Buttonhook.Core;

namespace Buttonhook.App;

/// <summary>The page is for this computer alone: loopback names only, requests from its own pages only, and nothing loaded from elsewhere.</summary>
public static class Security
{
    private const string ContentPolicy =
        "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'";

    /// <summary>The end point that an address names, which is all that is listened on: http, a loopback address or localhost (127.0.0.1), a port, and nothing else.</summary>
    public static Answer<IPEndPoint> EndPoint(string url)
    {
        var wrong = new Problem(
            "--urls should be one address of this computer alone, such as http://127.0.0.1:5190.",
            $"It is {url}.",
            "Use http, 127.0.0.1, [::1] or localhost, and a port; nothing before or behind."
        );
        if (
            !Uri.TryCreate(url, UriKind.Absolute, out var uri)
            || uri.Scheme != Uri.UriSchemeHttp
            || uri.UserInfo.Length > 0
            || uri.PathAndQuery is not "/"
            || uri.Fragment.Length > 0
            || url.Any(c => char.IsControl(c) || c is '@' or ';' or ' ' or '\\')
        )
            return wrong;
        if (uri.Host == "localhost")
            return new IPEndPoint(IPAddress.Loopback, uri.Port);
        return IPAddress.TryParse(uri.Host.Trim('[', ']'), out var address) && IPAddress.IsLoopback(address)
            ? new IPEndPoint(address, uri.Port)
            : wrong;
    }

    private static bool IsLoopback(string host) =>
        host == "localhost" || (IPAddress.TryParse(host.Trim('[', ']'), out var address) && IPAddress.IsLoopback(address));

    /// <summary>Refuses foreign hosts and foreign origins and adds the headers to every answer.</summary>
    public static void UseBenchSecurity(this WebApplication app) =>
        app.Use(
            async (context, next) =>
            {
                var headers = context.Response.Headers;
                headers.ContentSecurityPolicy = ContentPolicy;
                headers.XContentTypeOptions = "nosniff";
                headers["Referrer-Policy"] = "no-referrer";
                headers["Cross-Origin-Opener-Policy"] = "same-origin";
                headers["Cross-Origin-Resource-Policy"] = "same-origin";
                if (!IsLoopback(context.Request.Host.Host))
                {
                    await new Problem(
                        "The address should be this computer's own.",
                        $"The request was for {context.Request.Host.Host}.",
                        "Open http://127.0.0.1 with the port that was printed at start."
                    )
                        .Answer(StatusCodes.Status403Forbidden)
                        .ExecuteAsync(context);
                    return;
                }
                var origin = context.Request.Headers.Origin.ToString();
                if (
                    origin.Length > 0
                    && !(
                        Uri.TryCreate(origin, UriKind.Absolute, out var from)
                        && IsLoopback(from.Host)
                        && from.Authority == context.Request.Host.Value
                    )
                )
                {
                    await new Problem(
                        "Requests should come from Buttonhook's own page.",
                        $"This one came from {origin}.",
                        "Close that page."
                    )
                        .Answer(StatusCodes.Status403Forbidden)
                        .ExecuteAsync(context);
                    return;
                }
                await next();
            }
        );
}
