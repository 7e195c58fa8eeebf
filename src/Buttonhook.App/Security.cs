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

    /// <summary>Refuses foreign hosts and foreign origins, and at the shared port devices that did not give the key; adds the headers to every answer.</summary>
    public static void UseBenchSecurity(this WebApplication app)
    {
        var sharing = app.Services.GetService<Sharing>();
        app.Use(
            async (context, next) =>
            {
                AddHeaders(context.Response.Headers);
                var shared = sharing?.Is(context) == true ? sharing : null;
                var host = context.Request.Host.Host;
                bool IsOwn(string name) => shared is null ? IsLoopback(name) : Sharing.IsOwnName(name, context.Connection.LocalIpAddress);
                if (!IsOwn(host))
                {
                    await Refuse(
                        context,
                        new(
                            "The address should be this computer's own.",
                            $"The request was for {host}.",
                            shared is null
                                ? "Open http://127.0.0.1 with the port that was printed at start."
                                : "Open the address that was printed at start."
                        )
                    );
                    return;
                }
                var origin = context.Request.Headers.Origin.ToString();
                if (
                    origin.Length > 0
                    && !(
                        Uri.TryCreate(origin, UriKind.Absolute, out var from)
                        && IsOwn(from.Host)
                        && from.Authority == context.Request.Host.Value
                    )
                )
                {
                    await Refuse(
                        context,
                        new("Requests should come from Buttonhook's own page.", $"This one came from {origin}.", "Close that page.")
                    );
                    return;
                }
                if (shared is not null && !await PassGate(context, shared))
                    return;
                await next();
            }
        );
    }

    private static void AddHeaders(IHeaderDictionary headers)
    {
        headers.ContentSecurityPolicy = ContentPolicy;
        headers.XContentTypeOptions = "nosniff";
        headers["Referrer-Policy"] = "no-referrer";
        headers["Cross-Origin-Opener-Policy"] = "same-origin";
        headers["Cross-Origin-Resource-Policy"] = "same-origin";
    }

    private static Task Refuse(HttpContext context, Problem problem, int status = StatusCodes.Status403Forbidden) =>
        problem.Answer(status).ExecuteAsync(context);

    /// <summary>Lets those through who gave the key before; gives others the form for it.</summary>
    private static async Task<bool> PassGate(HttpContext context, Sharing sharing)
    {
        if (context.Request.Path == Sharing.Gate)
        {
            var key =
                HttpMethods.IsPost(context.Request.Method) && context.Request.HasFormContentType
                    ? (await context.Request.ReadFormAsync())["key"].ToString()
                    : context.Request.Query["key"].ToString();
            if (key.Length == 0)
                await AskForKey(context, null);
            else if (sharing.Admit(context, key[..Math.Min(key.Length, 100)]) is { } problem)
                await AskForKey(context, problem);
            else
                context.Response.Redirect("/");
            return false;
        }
        if (sharing.Admits(context))
            return true;
        if (context.Request.Path.StartsWithSegments("/api") || context.Request.Path.StartsWithSegments("/hub"))
            await Refuse(
                context,
                new(
                    "This device should have given the access key.",
                    "It has not.",
                    $"Open {Sharing.Gate} and give the key that the terminal shows."
                ),
                StatusCodes.Status401Unauthorized
            );
        else
            context.Response.Redirect(Sharing.Gate);
        return false;
    }

    private static Task AskForKey(HttpContext context, Problem? problem)
    {
        context.Response.StatusCode = problem is null ? StatusCodes.Status200OK : StatusCodes.Status403Forbidden;
        context.Response.ContentType = "text/html; charset=utf-8";
        context.Response.Headers.ContentSecurityPolicy = ContentPolicy.Replace(
            "form-action 'none'",
            "form-action 'self'",
            StringComparison.Ordinal
        );
        return context.Response.WriteAsync(
            $$"""
            <!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
            <title>Access key · Buttonhook</title>
            <style>body{font:1.1rem/1.5 sans-serif;background:#F5F0E6;color:#23282D;margin:2rem auto;max-width:28rem;padding:0 1rem}
            input,button{font:inherit;padding:.4rem .6rem;border:1px solid #23282D;border-radius:4px;background:#fff;color:inherit}
            input{width:100%;box-sizing:border-box;margin:.3rem 0 .8rem}button{background:#7B2D2B;color:#fff;border-color:#7B2D2B}</style></head>
            <body><main><h1>Buttonhook</h1><p role="alert">{{(problem is null ? "" : WebUtility.HtmlEncode(problem.ToString()))}}</p>
            <form method="post" action="{{Sharing.Gate}}"><label for="key">Access key, as the terminal of the computer that shares shows it</label>
            <input id="key" name="key" autocomplete="off" autocapitalize="none" required><button>Open the bench</button></form></main></body></html>
            """
        );
    }
}
