using System.Net.Http.Json;
using System.Net.Sockets;
using System.Text.Json;

namespace Buttonhook.App.Tests;

/// <summary>What was told or done once is not asked again, and a record holds what was so then.</summary>
public class RememberedTests
{
    private static async Task Written(RunningApp app, string board)
    {
        var write = await PreparingTests.Written(app, board, "slot-1");
        Assert.Equal("done", write.GetProperty("step").GetString());
    }

    private static async Task Set(RunningApp app, string board, string user, string command)
    {
        var now = await app.Get($"/api/boards/{board}/preparation");
        var set = now.GetProperty("set").Deserialize<Dictionary<string, JsonElement>>()!;
        set.Remove("passwordHash");
        set["password"] = JsonSerializer.SerializeToElement((string?)null);
        set["version"] = now.GetProperty("version");
        set["recipes"] = JsonSerializer.SerializeToElement(Array.Empty<string>());
        set["user"] = JsonSerializer.SerializeToElement(user);
        set["commands"] = JsonSerializer.SerializeToElement(new[] { command });
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{board}/first-boot", set));
    }

    [Fact]
    public async Task A_card_written_here_is_in_the_board_and_the_record_holds_what_was_set_then_and_not_since()
    {
        await using var app = await RunningApp.Start(pace: 5000);
        var made = await RunningApp.Json(
            await app.Http.PostAsJsonAsync(
                "/api/boards",
                new
                {
                    nickname = "Quince",
                    modelId = "quill-v",
                    revisionId = "B",
                    memoryMiB = 4096,
                    connected = new
                    {
                        cardGb = (int?)null,
                        screen = false,
                        network = true,
                        supplyId = "usb-5v-3a",
                        adapterId = "usb-33",
                    },
                    toldBy = new[] { "mark" },
                    simulated = true,
                    faultId = (string?)null,
                }
            )
        );
        var board = made.GetProperty("board").GetProperty("id").GetString()!;
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{board}/image", new { imageId = "tallow-4-minimal-riscv64" }));
        Assert.Contains("No card is in this board", (await app.Get($"/api/boards/{board}/matches")).GetRawText());
        await Set(app, board, "warden", "echo then");
        await Written(app, board);
        var connected = (await app.Get($"/api/boards/{board}")).GetProperty("board").GetProperty("connected");
        Assert.Equal(32, connected.GetProperty("cardGb").GetInt32());
        Assert.DoesNotContain("No card is in this board", (await app.Get($"/api/boards/{board}/matches")).GetRawText());
        var boot = (
            await RunningApp.Json(
                await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = "simulated", speed = (int?)null })
            )
        )
            .GetProperty("id")
            .GetString()!;
        await app.Until(boot, b => b.GetProperty("lastStage").GetString() == "login");
        await Set(app, board, "keeper", "echo since");
        var draft = (await app.Get($"/api/boards/{board}/settings")).GetProperty("draft").GetProperty("settings").GetRawText();
        Assert.Contains("warden", draft);
        Assert.Contains("echo then", draft);
        Assert.DoesNotContain("keeper", draft);
        Assert.DoesNotContain("echo since", draft);
    }

    [Fact]
    public async Task The_console_is_offered_as_it_was_opened_last_and_says_whether_it_was_readable()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board(simulated: false);
        Assert.Equal(JsonValueKind.Null, (await app.Get($"/api/boards/{board}")).GetProperty("lastConsole").ValueKind);
        var listener = new TcpListener(System.Net.IPAddress.Loopback, 0);
        listener.Start();
        var source = $"tcp:127.0.0.1:{((System.Net.IPEndPoint)listener.LocalEndpoint).Port}";
        var opening = app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source, speed = 57600 });
        using (var client = await listener.AcceptTcpClientAsync())
        {
            var boot = (await RunningApp.Json(await opening)).GetProperty("id").GetString()!;
            await client.GetStream().WriteAsync("U-Boot 2024.01 (Jan 01 2024)\r\n\r\nStarting kernel ...\r\n"u8.ToArray());
            await app.Until(boot, b => b.GetProperty("lineCount").GetInt32() >= 3);
        }
        listener.Stop();
        var last = (await app.Get($"/api/boards/{board}")).GetProperty("lastConsole");
        Assert.Equal((source, true), (last.GetProperty("source").GetString(), last.GetProperty("readable").GetBoolean()));
    }
}
