using System.Text;
using System.Text.Json;
using Buttonhook.Core.Consoles;

namespace Buttonhook.App.Tests;

/// <summary>Logs in and out of the drawer, and lines found in all of them.</summary>
public sealed class LogDrawerTests
{
    private static async Task<string> Drop(RunningApp app, string board, string name, byte[] bytes) =>
        (await RunningApp.Json(await app.Http.PostAsync($"/api/boards/{board}/logs?name={name}", new ByteArrayContent(bytes))))
            .GetProperty("id")
            .GetString()!;

    private static async Task<JsonElement> Found(RunningApp app, string query, Func<JsonElement, bool> until)
    {
        return await Wait.For(() => app.Get($"/api/logs/found?{query}"), until);
    }

    [Fact]
    public async Task A_stamped_log_gets_its_times_and_is_kept_as_it_came_too()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board(simulated: false);
        var stamped =
            "2026-11-26T09:00:00.000Z U-Boot 2024.01\r\n2026-11-26T09:00:02.500Z Starting kernel ...\r\n2026-11-26T09:00:04.000Z [    0.000000] Linux version 6.1\r\n";
        var boot = await Drop(app, board, "stamped.log", Encoding.UTF8.GetBytes(stamped));
        var view = await app.Get($"/api/boots/{boot}");
        Assert.Equal("first-byte", view.GetProperty("since").GetString());
        Assert.Contains("date and time", view.GetProperty("endedWhy").GetString());
        var lines = (await app.Get($"/api/boots/{boot}/lines")).GetProperty("lines").EnumerateArray().ToList();
        Assert.Equal([0, 2.5, 4], lines.Select(l => l.GetProperty("seconds").GetDouble()));
        Assert.Equal("Starting kernel ...", lines[1].GetProperty("text").GetString());
        Assert.Equal(stamped, await app.Http.GetStringAsync($"/api/boots/{boot}/log?form=original"));
        Assert.Equal(
            "       2.500  Starting kernel ...",
            (await app.Http.GetStringAsync($"/api/boots/{boot}/log?form=timed")).Split('\n')[1]
        );
        // What goes out comes in again the same.
        foreach (var form in (string[])["asciicast", "typescript", "timed"])
        {
            var again = await Drop(app, board, form, await app.Http.GetByteArrayAsync($"/api/boots/{boot}/log?form={form}"));
            var back = (await app.Get($"/api/boots/{again}/lines")).GetProperty("lines").EnumerateArray().ToList();
            Assert.Equal(
                lines.Select(l => $"{l.GetProperty("seconds")} {l.GetProperty("text")}"),
                back.Select(l => $"{l.GetProperty("seconds")} {l.GetProperty("text")}")
            );
        }
        await RunningApp.ProblemOf(await app.Http.GetAsync($"/api/boots/{boot}/log?form=paper"), 422);
    }

    [Fact]
    public async Task Lines_of_all_logs_are_found_between_their_neighbours_and_filtered()
    {
        await using var app = await RunningApp.Start();
        var (board, other) = (await app.Board(simulated: false), await app.Board("Damson", simulated: false));
        var one = await Drop(app, board, "a", "first\r\nmmc0: error -110 whilst initialising\r\nthird\r\n"u8.ToArray());
        await Drop(app, other, "b", "mmc1: error -84\r\nnothing\r\n"u8.ToArray());
        var both = await Found(app, "text=error", f => f.GetProperty("logs").GetArrayLength() == 2);
        Assert.Equal(2, both.GetProperty("logs").GetArrayLength());
        var log = Assert.Single((await app.Get("/api/logs/found?text=mmc0 error -110")).GetProperty("logs").EnumerateArray());
        Assert.Equal(one, log.GetProperty("id").GetString());
        var line = log.GetProperty("lines")[0];
        Assert.Equal(
            (2, "first", "mmc0: error -110 whilst initialising", "third"),
            (
                line.GetProperty("number").GetInt32(),
                line.GetProperty("before").GetString(),
                line.GetProperty("text").GetString(),
                line.GetProperty("after").GetString()
            )
        );
        Assert.Equal(
            "Damson",
            (
                await app.Get(
                    $"/api/boards/{Assert.Single((await app.Get($"/api/logs/found?text=error&board={other}")).GetProperty("logs").EnumerateArray()).GetProperty("boardId").GetString()}"
                )
            )
                .GetProperty("board")
                .GetProperty("nickname")
                .GetString()
        );
        Assert.Empty((await app.Get("/api/logs/found?text=error nothing")).GetProperty("logs").EnumerateArray());
        await RunningApp.ProblemOf(await app.Http.GetAsync("/api/logs/found?text=%20--%20"), 422);
        await RunningApp.Json(
            await app.Http.DeleteAsync($"/api/logs/{one}").ContinueWith(t => new HttpResponseMessage { Content = new StringContent("{}") })
        );
        await app.Http.DeleteAsync($"/api/logs/{one}");
        Assert.Single((await app.Get("/api/logs/found?text=error")).GetProperty("logs").EnumerateArray());
    }

    [Fact]
    public async Task Many_logs_are_one_zip_that_comes_in_again()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board(simulated: false);
        var ids = new[] { await Drop(app, board, "a", "one\r\n"u8.ToArray()), await Drop(app, board, "b", "two\r\n"u8.ToArray()) };
        var zip = await app.Http.GetByteArrayAsync($"/api/logs/zip?ids={string.Join(',', ids)}");
        var files = LogImport.Unzip(zip, 1 << 20).Value!;
        Assert.Equal(["Quince-boot-1.log", "Quince-boot-2.log", "logs.tsv"], files.Select(f => f.Name));
        Assert.Equal("two\r\n", Encoding.ASCII.GetString(files[1].Bytes));
        await Drop(app, board, "both.zip", zip);
        Assert.Equal(5, (await app.Get($"/api/boards/{board}/boots")).GetArrayLength());
    }

    [Fact]
    public async Task Two_logs_lie_beside_each_other_where_they_part()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board(simulated: false);
        var left = await Drop(app, board, "a", "[    1.0] one\r\ntwo\r\nonly left\r\nthree\r\n"u8.ToArray());
        var right = await Drop(app, board, "b", "[    9.7] one\r\ntwo\r\nthree\r\nonly right\r\n"u8.ToArray());
        var beside = await app.Get($"/api/boots/{left}/beside/{right}");
        Assert.Equal(1, beside.GetProperty("firstParting").GetInt32());
        Assert.Equal(3, beside.GetProperty("runs")[1].GetProperty("leftFrom").GetInt32());
        await RunningApp.ProblemOf(await app.Http.GetAsync($"/api/boots/{left}/beside/none"), 404);
    }

    [Fact]
    public async Task Another_device_gets_in_with_the_key_alone()
    {
        await using var app = await RunningApp.Start(share: ShareMode.Plain);
        var port = app.SharePort;
        var share = await app.Get("/api/share");
        var key = share.GetProperty("key").GetString()!;
        Assert.Contains("not encrypted", share.GetProperty("says").GetString());
        Assert.StartsWith("<svg", share.GetProperty("svg").GetString());
        using var phone = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false, CookieContainer = new() })
        {
            BaseAddress = new Uri($"http://127.0.0.1:{port}"),
        };
        Assert.Equal(401, (int)(await phone.GetAsync("/api/bench")).StatusCode);
        Assert.Equal("/access", (await phone.GetAsync("/")).Headers.Location!.ToString());
        Assert.Equal(403, (int)(await phone.GetAsync("/access?key=wrong")).StatusCode);
        var admitted = await phone.GetAsync($"/access?key={key.ToUpperInvariant()}");
        var cookie = Assert.Single(admitted.Headers.GetValues("Set-Cookie"));
        Assert.Contains("httponly", cookie, StringComparison.OrdinalIgnoreCase);
        Assert.Contains("samesite=strict", cookie, StringComparison.OrdinalIgnoreCase);
        Assert.Equal(200, (int)(await phone.GetAsync("/api/bench")).StatusCode);
        Assert.Equal(204, (int)(await phone.GetAsync("/api/share")).StatusCode);
        // All data hold what nobody else may read.
        Assert.Equal(403, (int)(await phone.GetAsync("/api/backup.zip")).StatusCode);
        using var foreign = new HttpRequestMessage(HttpMethod.Get, "/api/bench");
        foreign.Headers.Host = "elsewhere.example";
        Assert.Equal(403, (int)(await phone.SendAsync(foreign)).StatusCode);
        using var stranger = new HttpClient { BaseAddress = phone.BaseAddress };
        var tries = new List<string>();
        for (var i = 0; i < 8; i++)
            tries.Add(await (await stranger.GetAsync("/access?key=guess")).Content.ReadAsStringAsync());
        Assert.Contains("six times in a minute", tries[^1]);
        Assert.Equal(401, (int)(await stranger.GetAsync($"/api/bench")).StatusCode);
    }

    [Fact]
    public async Task The_encrypted_way_keeps_its_certificate_for_its_owner_alone()
    {
        await using var app = await RunningApp.Start(share: ShareMode.Tls);
        var port = app.SharePort;
        var share = await app.Get("/api/share");
        string? seen = null;
        using var phone = new HttpClient(
            new SocketsHttpHandler
            {
                AllowAutoRedirect = false,
                SslOptions = new()
                {
                    RemoteCertificateValidationCallback = (_, certificate, _, _) =>
                        (
                            seen = string.Join(
                                ':',
                                System.Security.Cryptography.SHA256.HashData(certificate!.GetRawCertData()).Select(b => b.ToString("X2"))
                            )
                        )
                            is not null,
                },
            }
        )
        {
            BaseAddress = new Uri($"https://127.0.0.1:{port}"),
        };
        var admitted = await phone.GetAsync($"/access?key={share.GetProperty("key").GetString()}");
        Assert.Contains("secure", Assert.Single(admitted.Headers.GetValues("Set-Cookie")), StringComparison.OrdinalIgnoreCase);
        Assert.Equal(share.GetProperty("fingerprint").GetString(), seen);
        Assert.Equal(UnixFileMode.UserRead | UnixFileMode.UserWrite, File.GetUnixFileMode(Path.Combine(app.Folder, "share.pfx")));
    }
}
