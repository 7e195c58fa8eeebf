using System.Diagnostics;
using System.Net.Http.Json;
using System.Text.Json;
using Buttonhook.Hardware;

namespace Buttonhook.App.Tests;

/// <summary>What comes in and what is kept: files of every kind, a full disk, many who ask at once.</summary>
public sealed partial class HoldTests
{
    [Fact]
    public async Task What_is_no_regular_file_is_not_opened()
    {
        var pipe = Path.Combine(folder, "pipe");
        using (var make = Process.Start("mkfifo", pipe))
            await make.WaitForExitAsync();
        await using var app = await RunningApp.Start();
        foreach (var path in new[] { pipe, "/dev/zero", "/proc/kmsg", folder })
        {
            foreach (var command in new[] { "inspect", "diagnose" })
            {
                var (code, _, error) = await CommandLineTests.Run(command, path).WaitAsync(TimeSpan.FromMinutes(2));
                Assert.Equal(1, code);
                Assert.Contains("should be a file", error);
            }
            var looked = await app.Inspected(path, null);
            Assert.Contains("should be a file", looked.GetProperty("problem").GetProperty("expected").GetString());
        }
        var image = Path.Combine(folder, "image.img");
        File.WriteAllBytes(image, new byte[4096]);
        var (sum, _, told) = await CommandLineTests.Run("inspect", image, "--sum", pipe).WaitAsync(TimeSpan.FromMinutes(2));
        Assert.Equal(1, sum);
        Assert.Contains("is a pipe", told);
    }

    [Fact]
    public async Task A_full_disk_stops_nothing_for_ever_and_loses_nothing()
    {
        Assert.SkipUnless(Environment.UserName == "root", "only root can make a small disk");
        var disk = Path.Combine(folder, "disk");
        Directory.CreateDirectory(disk);
        using (var mount = Process.Start("mount", ["-t", "tmpfs", "-o", "size=6m", "tmpfs", disk]))
        {
            await mount.WaitForExitAsync();
            Assert.SkipUnless(mount.ExitCode == 0, "no small disk can be mounted here");
        }
        try
        {
            var filler = Path.Combine(disk, "filler");
            void Fill()
            {
                using var file = File.Create(filler);
                try
                {
                    while (true)
                    {
                        file.Write(new byte[4096]);
                        file.Flush();
                    }
                }
                catch (IOException) { }
            }
            using var server = await (await RunningProgram.Start(Path.Combine(disk, "data"))).WithProfiles();
            var board = await server.Board("Quince");
            using var quiet = new PseudoTerminal(_ => { });
            var boot = await server.Capture(board, quiet.Path);
            quiet.Print("U-Boot 2024.01\r\n"u8);
            await server.Until(boot, b => b.GetProperty("byteCount").GetInt64() == 16);

            // What arrives waits, the port vanishes, and ending is answered all the same.
            Fill();
            var sent = Enumerable.Repeat((byte)'x', 64 * 1024).ToArray();
            for (var at = 0; at < sent.Length; )
                at += quiet.Print(sent.AsSpan(at, Math.Min(1024, sent.Length - at)));
            var waiting = await server.Until(boot, b => b.GetProperty("waiting").ValueKind == JsonValueKind.Object);
            Assert.Contains("disk is full", waiting.GetProperty("waiting").GetProperty("came").GetString());
            // What the system still holds goes with the port.
            await Wait.For(() => quiet.Unread == 0);
            quiet.Dispose();
            // A busy machine tells the reader late that the port is gone; who ended before that would see no gap.
            await server.Until(boot, b => b.GetProperty("events").EnumerateArray().Any(e => e.GetProperty("kind").GetString() == "gap"));
            var clock = Stopwatch.StartNew();
            var ended = await server.Http.PostAsJsonAsync($"/api/boots/{boot}/end", new { });
            Assert.True(ended.IsSuccessStatusCode, await ended.Content.ReadAsStringAsync());
            Assert.InRange(clock.Elapsed.TotalSeconds, 0, 5);
            // A card that cannot even be noted names the disk, and holds neither slot nor board.
            await server.Http.PutAsJsonAsync($"/api/boards/{board}/image", new { imageId = "fallow-12-server-riscv64" });
            var write = await server.Http.PostAsJsonAsync(
                $"/api/boards/{board}/card",
                new
                {
                    slotId = "slot-1",
                    confirm = (string?)null,
                    checkSize = false,
                    anyway = false,
                }
            );
            Assert.NotEqual(500, (int)write.StatusCode);

            // With room again everything goes on by itself, and nothing is missing.
            File.Delete(filler);
            var after = await server.Until(boot, b => b.GetProperty("byteCount").GetInt64() == 16 + 64 * 1024);
            Assert.False(after.GetProperty("live").GetBoolean());
            Assert.Equal(JsonValueKind.Null, after.GetProperty("waiting").ValueKind);
            Assert.Equal("Ended by you.", after.GetProperty("endedWhy").GetString());
            Assert.Contains(after.GetProperty("events").EnumerateArray(), e => e.GetProperty("kind").GetString() == "gap");
            var next = await server.Http.PostAsJsonAsync(
                $"/api/boards/{board}/card",
                new
                {
                    slotId = "slot-1",
                    confirm = (string?)null,
                    checkSize = false,
                    anyway = false,
                }
            );
            Assert.DoesNotContain("is being written", await next.Content.ReadAsStringAsync());

            // A start on a full disk is told in words.
            await server.Stop();
            Fill();
            var (code, _, error) = await CommandLineTests.Run(
                "serve",
                "--data",
                Path.Combine(disk, "other"),
                "--urls",
                "http://127.0.0.1:0"
            );
            Assert.Equal(1, code);
            Assert.Contains("room on the disk", error);
        }
        finally
        {
            using var unmount = Process.Start("umount", ["-l", disk]);
            await unmount.WaitForExitAsync();
        }
    }

    [Fact]
    public async Task Inputs_that_once_led_to_an_accident_are_told_in_words()
    {
        var tree = Path.Combine(RunningApp.Root, "tests/found/device-tree-out-of-range.dtb");
        foreach (var command in new[] { new[] { "cards", "draft" }, ["identify"] })
        {
            var (_, _, error) = await CommandLineTests.Run([.. command, "--dtb", tree]);
            Assert.DoesNotContain("Inside Buttonhook", error);
        }
        await using var app = await RunningApp.Start();
        var card = await app.Http.GetStringAsync("/api/profiles/export?ids=fallow-12-desktop-riscv64");
        var large = System.Text.RegularExpressions.Regex.Replace(card, "expandedBytes: .*", "expandedBytes: 100931731451e999");
        var problem = await RunningApp.ProblemOf(
            await app.Http.PostAsJsonAsync("/api/profiles/imports", new { name = "x", yaml = large }),
            422
        );
        Assert.Contains("expandedBytes", problem.ToString());
    }

    [Fact]
    public async Task One_computation_serves_all_who_ask_at_once_and_none_is_older_than_its_question()
    {
        var (count, value) = (0, 0);
        using var began = new ManualResetEventSlim();
        using var over = new ManualResetEventSlim();
        var shared = new Shared<int>(() =>
        {
            Interlocked.Increment(ref count);
            var seen = Volatile.Read(ref value);
            began.Set();
            over.Wait();
            return seen;
        });
        var first = shared.Ask();
        began.Wait(TestContext.Current.CancellationToken);
        value = 1;
        var later = Enumerable.Range(0, 50).Select(_ => shared.Ask()).ToList();
        over.Set();
        Assert.All(await Task.WhenAll(later), seen => Assert.Equal(1, seen));
        Assert.Equal(0, await first);
        Assert.Equal(2, count);
    }

    [Fact]
    public void What_is_unpacked_has_no_name_and_is_gone_with_its_handle()
    {
        var before = Directory.GetFiles("/var/tmp", "buttonhook-*").Length;
        using var file = Scratch.File();
        file.Write(new byte[100]);
        Assert.Equal(before, Directory.GetFiles("/var/tmp", "buttonhook-*").Length);
        Assert.Contains("should be room", Scratch.NoRoom(long.MaxValue / 4)!.Expected);
        Assert.Null(Scratch.NoRoom(0));
    }
}
