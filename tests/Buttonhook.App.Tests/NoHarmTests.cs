using System.Diagnostics;
using System.IO.Compression;
using System.Net;
using System.Net.Http.Json;
using System.Runtime.InteropServices;
using System.Text;
using System.Text.Json;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Hardware;
using Buttonhook.Storage;

namespace Buttonhook.App.Tests;

/// <summary>What is a person's own stays as it is: folders, files, rights, captures, and the paths of this computer.</summary>
public sealed partial class NoHarmTests : InFolder
{
    [LibraryImport("libc", EntryPoint = "mkfifo", StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Pipe(string path, uint mode);

    private string Data => Path.Combine(folder, "data");

    [Theory]
    [InlineData("serve")]
    [InlineData("restore")]
    [InlineData("capture")]
    public async Task A_folder_with_a_persons_files_is_refused_and_nothing_in_it_is_touched(string command)
    {
        var (note, script) = (File("data/scratch/notes.txt", "mine"u8.ToArray()), File("data/run.sh", "#!/bin/sh\n"u8.ToArray()));
        File("data/restoring/keep.txt", "mine too"u8.ToArray());
        var rights = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute | UnixFileMode.OtherRead;
        System.IO.File.SetUnixFileMode(script, rights);
        string[] more = command switch
        {
            "serve" => ["serve", "--urls", "http://127.0.0.1:0"],
            "restore" => ["restore", File("backup.zip", "no backup"u8.ToArray())],
            _ => ["capture", "/dev/null"],
        };
        var (code, _, error) = await CommandLineTests.Run([.. more, "--data", Data]);
        Assert.NotEqual(0, code);
        Assert.Contains("which Buttonhook did not make", error);
        Assert.Equal("mine", await System.IO.File.ReadAllTextAsync(note, TestContext.Current.CancellationToken));
        Assert.Equal(rights, System.IO.File.GetUnixFileMode(script));
        Assert.Equal(["restoring", "run.sh", "scratch"], Directory.GetFileSystemEntries(Data).Select(Path.GetFileName).Order());
    }

    [Fact]
    public void Of_a_data_folder_only_what_buttonhook_made_is_changed_or_removed()
    {
        Directory.CreateDirectory(Data);
        DataFolder.Hold(Data).Value!.Dispose();
        var script = File("data/run.sh", "#!/bin/sh\n"u8.ToArray());
        var rights = UnixFileMode.UserRead | UnixFileMode.UserExecute | UnixFileMode.OtherExecute;
        System.IO.File.SetUnixFileMode(script, rights);
        var mine = File("data/scratch/notes.txt", "mine"u8.ToArray());
        var before = Environment.GetEnvironmentVariable("TMPDIR");
        try
        {
            DataFolder.Hold(Data).Value!.Dispose();
            Scratch.Begin(Data);
            var first = Scratch.Folder;
            System.IO.File.WriteAllText(Path.Combine(first, "unpacked"), "");
            Scratch.Begin(Data);
            Assert.Equal(first, Scratch.Folder);
            Assert.False(System.IO.File.Exists(Path.Combine(first, "unpacked")));
        }
        finally
        {
            Environment.SetEnvironmentVariable("TMPDIR", before);
        }
        Assert.Equal("mine", System.IO.File.ReadAllText(mine));
        Assert.Equal(rights, System.IO.File.GetUnixFileMode(script));
    }

    [Fact]
    public void A_link_in_place_of_a_folder_of_ours_is_not_followed()
    {
        var elsewhere = Directory.CreateDirectory(Path.Combine(folder, "elsewhere")).FullName;
        var ours = OwnFolder.Fresh(Path.Combine(elsewhere, "scratch"));
        Directory.CreateDirectory(Data);
        Directory.CreateSymbolicLink(Path.Combine(Data, "scratch"), ours);
        Assert.Equal(Path.Combine(Data, "scratch-2"), OwnFolder.Fresh(Path.Combine(Data, "scratch")));
        Assert.True(OwnFolder.IsOurs(ours));
    }

    [Fact]
    public async Task A_folder_of_another_user_is_told_by_its_owner()
    {
        Assert.SkipUnless(FileKinds.User == 0, "only root can give a folder away");
        Directory.CreateDirectory(Data);
        using (var chown = Process.Start("chown", ["12345", Data]))
            await chown.WaitForExitAsync(TestContext.Current.CancellationToken);
        Assert.Contains("It belongs to the user 12345", DataFolder.Hold(Data).Problem!.Came);
        Assert.Empty(Directory.GetFileSystemEntries(Data));
    }

    /// <summary>A data folder with a bench in it, and a backup of another one.</summary>
    private async Task<string> BenchAndBackup()
    {
        await using var app = await RunningApp.Start();
        await app.Board("Pippin");
        var backup = File("backup.zip", await app.Http.GetByteArrayAsync("/api/backup.zip", TestContext.Current.CancellationToken));
        Directory.CreateDirectory(Data);
        using var database = Database.Open(DataFolder.DataFile(Data)).Value!;
        return backup;
    }

    private int Boards()
    {
        using var database = Database.Open(DataFolder.DataFile(Data)).Value!;
        return new BoardStore(database).All().Count;
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task A_restore_that_was_killed_between_its_moves_is_ended_by_the_next_start(bool oldIsAside)
    {
        var backup = await BenchAndBackup();
        Assert.Equal(0, Boards());
        // What a kill leaves: everything checked and marked ready, and the old file moved away or not.
        var fresh = OwnFolder.Fresh(Path.Combine(Data, "restoring"));
        using (var zip = ZipFile.OpenRead(backup))
            zip.GetEntry("buttonhook.db")!.ExtractToFile(Path.Combine(fresh, "buttonhook.db"));
        var aside = Path.Combine(Data, "before-20260314-063000");
        await System.IO.File.WriteAllTextAsync(Path.Combine(fresh, "ready"), aside, TestContext.Current.CancellationToken);
        if (oldIsAside)
        {
            Directory.CreateDirectory(aside);
            System.IO.File.Move(DataFolder.DataFile(Data), Path.Combine(aside, "buttonhook.db"));
            await System.IO.File.WriteAllTextAsync(Path.Combine(Data, "buttonhook.lock"), "", TestContext.Current.CancellationToken);
        }
        DataFolder.Hold(Data).Value!.Dispose();
        Assert.Equal(1, Boards());
        Assert.True(System.IO.File.Exists(Path.Combine(aside, "buttonhook.db")));
        Assert.False(Directory.Exists(fresh));
    }

    [Fact]
    public async Task A_restore_of_a_pipe_is_refused_at_once_and_gives_its_lock_back()
    {
        var pipe = Path.Combine(folder, "pipe");
        Assert.Equal(0, Pipe(pipe, 0x180));
        var (code, _, error) = await CommandLineTests.Run("restore", pipe, "--data", Data).WaitAsync(TimeSpan.FromMinutes(2));
        Assert.Equal(1, code);
        Assert.Contains("is a pipe", error);
        DataFolder.Hold(Data).Value!.Dispose();
    }

    [Fact]
    public async Task A_backup_that_is_killed_leaves_nothing_beside_its_target_and_the_next_one_clears_up()
    {
        await BenchAndBackup();
        var left = OwnFolder.Fresh(Path.Combine(Data, "backing-up-4194303"));
        await System.IO.File.WriteAllTextAsync(Path.Combine(left, "backup.db"), "hashes", TestContext.Current.CancellationToken);
        using (var began = new NewFile(Path.Combine(folder, "killed.zip")))
        {
            began.Stream.Write("half"u8);
            Assert.False(System.IO.File.Exists(Path.Combine(folder, "killed.zip")));
        }
        var (code, _, error) = await CommandLineTests.Run("backup", Path.Combine(folder, "new.zip"), "--data", Data);
        Assert.Equal((0, ""), (code, error));
        Assert.Equal(["backup.zip", "data", "new.zip"], Directory.GetFileSystemEntries(folder).Select(Path.GetFileName).Order());
        Assert.False(Directory.Exists(left));
        Assert.Equal(1, (await CommandLineTests.Run("backup", Path.Combine(folder, "new.zip"), "--data", Data)).Code);
    }

    [Fact]
    public async Task A_full_disk_is_told_as_one_by_a_backup_and_not_as_data_that_are_none()
    {
        await BenchAndBackup();
        var small = Directory.CreateDirectory(Path.Combine(folder, "small")).FullName;
        using (var mount = Process.Start("mount", ["-t", "tmpfs", "-o", "size=600k", "tmpfs", small]))
            await mount.WaitForExitAsync(TestContext.Current.CancellationToken);
        try
        {
            System.IO.File.Copy(DataFolder.DataFile(Data), DataFolder.DataFile(small));
            var room = new DriveInfo(small).AvailableFreeSpace;
            Assert.SkipUnless(room < 1 << 20, "no small disk can be mounted here");
            await System.IO.File.WriteAllBytesAsync(
                Path.Combine(small, "rules.yaml"),
                new byte[room],
                TestContext.Current.CancellationToken
            );
            var (code, _, error) = await CommandLineTests.Run("backup", Path.Combine(folder, "new.zip"), "--data", small);
            Assert.Equal(1, code);
            Assert.Contains("full", error);
            Assert.DoesNotContain("should be a Buttonhook database", error);
        }
        finally
        {
            using var unmount = Process.Start("umount", [small]);
            await unmount.WaitForExitAsync(CancellationToken.None);
        }
    }

    [Theory]
    [InlineData(2, false)]
    [InlineData(15, false)]
    [InlineData(2, true)]
    [InlineData(15, true)]
    public async Task A_signal_ends_a_capture_within_a_second_with_a_summary_and_all_of_it_stored(int signal, bool throughServer)
    {
        using var console = new PseudoTerminal(_ => { });
        using var server = throughServer ? await RunningProgram.Start(Data) : null;
        // Started by a shell that does not ignore Ctrl+C for what runs in the background.
        using var capture = Process.Start(
            new ProcessStartInfo(
                "python3",
                [
                    "-c",
                    "import os,signal,sys; signal.signal(signal.SIGINT, signal.SIG_DFL); os.execvp(sys.argv[1], sys.argv[1:])",
                    "dotnet",
                    typeof(BenchApp).Assembly.Location,
                    "capture",
                    console.Path,
                    "--speed",
                    "115200",
                    "--data",
                    Data,
                ]
            )
            {
                RedirectStandardOutput = true,
                RedirectStandardError = true,
            }
        )!;
        try
        {
            Assert.Contains("is captured", await capture.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken));
            console.Print("U-Boot 2024.01\r\nlast words"u8);
            await Wait.For(() => console.Unread == 0);
            var clock = Stopwatch.StartNew();
            _ = RunningProgram.Signal(capture.Id, signal);
            await capture.WaitForExitAsync(TestContext.Current.CancellationToken).WaitAsync(TimeSpan.FromMinutes(1));
            // A second is asked for, measured with nothing beside it; other suites run here.
            Assert.InRange(clock.Elapsed.TotalSeconds, 0, 5);
            Assert.Equal(130, capture.ExitCode);
            var said = await capture.StandardOutput.ReadToEndAsync(TestContext.Current.CancellationToken);
            Assert.Contains("Ended by you.", said);
            Assert.Contains("Capture ended at second loader.", said);
            // The port is free again: another program can have it for itself.
            using (var port = Tty.Open(console.Path, LineSettings.Of(115200).Value!, _ => { }, _ => { }).Value)
                Assert.NotNull(port);
            if (server is not null)
            {
                var http = server.Http;
                var boot = Assert.Single((await http.GetFromJsonAsync<JsonElement>("/api/boots")).EnumerateArray());
                var view = await http.GetFromJsonAsync<JsonElement>($"/api/boots/{boot.GetProperty("id").GetString()}");
                Assert.False(view.GetProperty("live").GetBoolean());
                Assert.Equal(26, view.GetProperty("byteCount").GetInt64());
            }
            else
            {
                using var database = Database.Open(DataFolder.DataFile(Data)).Value!;
                var boots = new BootStore(database);
                Assert.Equal(26, boots.LogBytes(Assert.Single(boots.Newest(10)).Id));
            }
        }
        finally
        {
            if (!capture.HasExited)
                capture.Kill();
        }
    }

    [Fact]
    public async Task Writing_a_card_ends_no_capture_unless_it_is_told_to_and_a_refused_order_never_does()
    {
        await using var app = await RunningApp.Start();
        var board = await app.Board("Quince");
        var boot = (
            await RunningApp.Json(
                await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = "simulated", speed = (int?)null })
            )
        )
            .GetProperty("id")
            .GetString();
        async Task<HttpResponseMessage> Write(string slot, bool end) =>
            await app.Http.PostAsJsonAsync(
                $"/api/boards/{board}/card",
                new
                {
                    slotId = slot,
                    confirm = (string?)null,
                    checkSize = false,
                    anyway = true,
                    endCapture = end,
                }
            );
        async Task<bool> Live() => (await app.Get($"/api/boots/{boot}")).GetProperty("live").GetBoolean();
        var slot = (await app.Get($"/api/boards/{board}/preparation")).GetProperty("slots")[0].GetProperty("id").GetString()!;
        Assert.Equal(HttpStatusCode.Conflict, (await Write("no-slot", end: true)).StatusCode);
        Assert.True(await Live());
        var asked = await Write(slot, end: false);
        Assert.Equal(HttpStatusCode.Conflict, asked.StatusCode);
        Assert.Contains("is being captured", await asked.Content.ReadAsStringAsync(TestContext.Current.CancellationToken));
        Assert.True(await Live());
        Assert.Equal(HttpStatusCode.OK, (await Write(slot, end: true)).StatusCode);
        Assert.False(await Live());
    }

    [Fact]
    public async Task A_device_that_shares_the_page_names_no_path_of_this_computer()
    {
        await using var app = await RunningApp.Start(share: ShareMode.Plain);
        var port = app.SharePort;
        var secret = File("private/boot.log", "login: keeper\npassword=codling"u8.ToArray());
        var seen = Path.GetDirectoryName(File("downloads/boot.log", "U-Boot 2024.01\n"u8.ToArray()))!;
        System.IO.File.CreateSymbolicLink(Path.Combine(seen, "link.log"), secret);
        using var handler = new HttpClientHandler { CookieContainer = new() };
        using var other = new HttpClient(handler) { BaseAddress = new Uri($"http://127.0.0.1:{port}") };
        var key = (await app.Get("/api/share")).GetProperty("key").GetString();
        await other.PostAsync("/access", new FormUrlEncodedContent([new("key", key)]));
        async Task<(HttpStatusCode, string)> Bring(HttpClient http, string route, object body)
        {
            var answer = await http.PostAsJsonAsync(route, body);
            return (answer.StatusCode, await answer.Content.ReadAsStringAsync());
        }
        foreach (
            var path in new[] { secret, Path.Combine(seen, "..", "private", "boot.log"), Path.Combine(seen, "link.log"), "/etc/hostname" }
        )
        {
            var (status, said) = await Bring(other, "/api/imports", new { path, text = (string?)null });
            Assert.Equal((path, HttpStatusCode.Forbidden), (path, status));
            Assert.DoesNotContain("codling", said);
            Assert.Equal(
                HttpStatusCode.Forbidden,
                (
                    await Bring(
                        other,
                        "/api/inspections",
                        new
                        {
                            path,
                            boardId = (string?)null,
                            sum = "",
                        }
                    )
                ).Item1
            );
        }
        Assert.Equal(HttpStatusCode.Forbidden, (await Bring(other, "/api/downloads", new { path = Path.GetDirectoryName(secret) })).Item1);
        Assert.Equal(HttpStatusCode.OK, (await Bring(app.Http, "/api/downloads", new { path = seen })).Item1);
        Assert.Equal(
            HttpStatusCode.OK,
            (await Bring(other, "/api/imports", new { path = Path.Combine(seen, "boot.log"), text = (string?)null })).Item1
        );
        Assert.Equal(
            HttpStatusCode.Forbidden,
            (await Bring(other, "/api/imports", new { path = Path.Combine(seen, "link.log"), text = (string?)null })).Item1
        );
        // This computer itself may name what it likes.
        Assert.Equal(HttpStatusCode.OK, (await Bring(app.Http, "/api/imports", new { path = secret, text = (string?)null })).Item1);
    }

    [Fact]
    public async Task A_rule_that_would_hold_up_every_long_log_is_refused_when_it_is_written()
    {
        await using var app = await RunningApp.Start();
        async Task<(HttpStatusCode, string)> Keep(string regex)
        {
            var answer = await app.Http.PutAsJsonAsync(
                "/api/rules/own/mine",
                new OwnRule("mine", "root-not-found", "frost", regex, null, 2, false, null)
            );
            return (answer.StatusCode, await answer.Content.ReadAsStringAsync());
        }
        var (status, said) = await Keep("(?:[a-z0-9 ]{1,40}[a-y0-8]{1,40}){2,9}frost[0-9a-f]{40}$");
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("within a second", said);
        Assert.Equal(HttpStatusCode.NoContent, (await Keep(@"^frost: alarm \d+")).Item1);
    }

    [Theory]
    [InlineData("/api/identification", """{"mark":"x","seen":[null]}""")]
    [InlineData("/api/identification", """{"seen":[{"look":null,"answer":null}]}""")]
    [InlineData(
        "/api/boards",
        """{"nickname":"a","modelId":"quill-v","revisionId":"B","connected":{"changes":[null]},"toldBy":[null],"simulated":true}"""
    )]
    public async Task A_list_that_holds_nothing_is_refused_in_words(string route, string body)
    {
        await using var app = await RunningApp.Start();
        var answer = await app.Http.PostAsync(route, new StringContent(body, Encoding.UTF8, "application/json"));
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        Assert.DoesNotContain("inside Buttonhook", await answer.Content.ReadAsStringAsync(TestContext.Current.CancellationToken));
    }

    [Fact]
    public async Task Secrets_that_were_stored_before_are_forgotten_and_what_came_back_stays()
    {
        Directory.CreateDirectory(Data);
        string boot;
        using (var database = Database.Open(DataFolder.DataFile(Data)).Value!)
        {
            await using var app = await RunningApp.Start();
            var board = await app.Board("Quince", simulated: false);
            using var terminal = new PseudoTerminal(_ => { });
            boot = (
                await RunningApp.Json(
                    await app.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = terminal.Path, speed = 115200 })
                )
            )
                .GetProperty("id")
                .GetString()!;
            await app.Http.PostAsJsonAsync($"/api/boots/{boot}/end", new { });
            // As an older version stored it: at the prompt of another language, the password as it was typed.
            var store = app.Services.GetService(typeof(BootStore)) as BootStore;
            JournalEvent Typed(int at, long behind, string text) => new(at, EventKind.Typed, text, behind, Encoding.UTF8.GetBytes(text));
            store!.Append(
                boot,
                [
                    new StoredPiece(10, "orchard login: "u8.ToArray()),
                    Typed(100, 15, "keeper\r"),
                    new StoredPiece(110, "keeper\r\nPasswort: "u8.ToArray()),
                    Typed(5000, 33, "codling"),
                    Typed(5500, 33, "\r"),
                    new StoredPiece(6000, "\r\n$ "u8.ToArray()),
                ]
            );
            (app.Services.GetService(typeof(Database)) as Database)!.CopyTo(Path.Combine(folder, "copy.db"));
        }
        System.IO.File.Move(Path.Combine(folder, "copy.db"), DataFolder.DataFile(Data), true);
        foreach (var beside in new[] { "-wal", "-shm" })
            System.IO.File.Delete(DataFolder.DataFile(Data) + beside);
        var (code, said, error) = await CommandLineTests.Run("forget-secrets", "--data", Data);
        Assert.Equal((0, ""), (code, error));
        Assert.StartsWith("2 of 3 entries", said);
        Assert.DoesNotContain(
            "codling",
            Encoding.Latin1.GetString(
                await System.IO.File.ReadAllBytesAsync(DataFolder.DataFile(Data), TestContext.Current.CancellationToken)
            )
        );
        using var after = Database.Open(DataFolder.DataFile(Data)).Value!;
        var events = new BootStore(after).Events(boot);
        Assert.Equal(["keeper\r"], events.Where(e => e.Kind == EventKind.Typed).Select(e => e.Text));
        Assert.StartsWith("0 of 1", (await CommandLineTests.Run("forget-secrets", "--data", Data)).Out);
    }

    [Theory]
    [InlineData("=1+1", "'=1+1")]
    [InlineData("\t=1+1", "'\t=1+1")]
    [InlineData("\r=1+1", "\"'\r=1+1\"")]
    [InlineData("  @SUM(A1)", "'  @SUM(A1)")]
    [InlineData("frost\u202E-7", "frost¤-7")]
    [InlineData("a,\"b\"", "\"a,\"\"b\"\"\"")]
    [InlineData("plain - text", "plain - text")]
    public void A_field_of_a_csv_file_computes_nothing(string text, string field) => Assert.Equal(field, Csv.Field(text));
}
