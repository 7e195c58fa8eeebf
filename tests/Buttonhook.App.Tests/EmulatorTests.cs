using System.Diagnostics;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.App.Tests;

/// <summary>
/// A real system with systemd and without cloud-init (tests/emulator/make, Debian's packages), prepared here and started in the emulator with
/// the command line of its own menu. BUTTONHOOK_EMULATOR names the folder of the system; without it these tests say that they were skipped.
/// </summary>
public sealed class EmulatorTests
{
    private const string Emulator = "/usr/bin/qemu-system-x86_64";

    private static string Made()
    {
        var folder = Environment.GetEnvironmentVariable("BUTTONHOOK_EMULATOR");
        Assert.SkipWhen(folder is null || !File.Exists(Path.Combine(folder, "system.img")), "BUTTONHOOK_EMULATOR names no system");
        Assert.SkipUnless(File.Exists(Emulator), $"{Emulator} is not there");
        return folder!;
    }

    [Fact]
    [Trait("Length", "long")]
    public async Task First_boot_settings_run_once_through_a_power_cut_tell_what_failed_and_let_the_system_start()
    {
        var folder = Made();
        using var card = await Prepared(
            folder,
            "echo once >>/var/tmp/ran",
            "echo to be seen; false",
            "echo begun >>/var/tmp/ran; sync; sleep 6; echo ended >>/var/tmp/ran"
        );
        using (var first = Machine.Start(folder, card))
        {
            await first.Until("firstboot: command_3");
            await Task.Delay(1500);
        }
        using (var second = Machine.Start(folder, card))
        {
            await second.Until("FAILED: command_2");
            await second.LogIn();
            Assert.Equal(["once", "begun", "begun", "ended"], await second.Lines("cat /var/tmp/ran"));
            Assert.Equal(["frost-north"], await second.Lines("hostname"));
            Assert.Equal(["1"], await second.Lines("cat /var/lib/firstboot/command_2"));
            await Task.Delay(3000);
            Assert.False(second.Off, "it goes down by itself");
        }
        using var third = Machine.Start(folder, card);
        await third.LogIn("frost-north login: ");
        Assert.DoesNotContain("firstboot: ", third.Text);
        Assert.Equal(["once", "begun", "begun", "ended"], await third.Lines("cat /var/tmp/ran"));
    }

    [Fact]
    public async Task First_boot_settings_that_worked_leave_nothing_behind_that_holds_a_secret()
    {
        var folder = Made();
        using var card = await Prepared(folder, "echo once >>/var/tmp/ran");
        using var machine = Machine.Start(folder, card);
        await machine.Until("firstboot: all steps are done");
        Assert.DoesNotContain("FAILED", machine.Text);
        await machine.LogIn();
        Assert.Equal(
            ["done"],
            await machine.Lines(
                "ls -d /usr/local/sbin/firstboot /etc/systemd/system/firstboot.service /etc/systemd/system/multi-user.target.d 2>/dev/null; echo done"
            )
        );
        Assert.Equal(["Europe/Lisbon"], await machine.Lines("cat /etc/timezone"));
    }

    private sealed record Card(string Path, string Arguments, string Folder) : IDisposable
    {
        public void Dispose() => Directory.Delete(Folder, true);
    }

    /// <summary>A copy of the system with first-boot settings, made as a person makes it.</summary>
    private static async Task<Card> Prepared(string made, params string[] commands)
    {
        await using var app = await RunningApp.Start(pace: 5000, keep: true);
        var looked = await app.Inspected(Path.Combine(made, "system.img"), null);
        var image = await RunningApp.Json(await app.Http.PostAsync($"/api/inspections/{looked.GetProperty("id").GetString()}/card", null));
        var imageId = image.GetProperty("id").GetString()!;
        var id = await app.Board("Hedge", image: imageId);
        var input = JsonSerializer.SerializeToNode(PreparingTests.Set("frost-north", "correct horse", "warden"))!.AsObject();
        input["commands"] = JsonSerializer.SerializeToNode(commands);
        input["remoteLogin"] = false;
        input["consoleOn"] = false;
        await RunningApp.Json(await app.Http.PutAsJsonAsync($"/api/boards/{id}/first-boot", input));
        var write = await PreparingTests.Written(app, id, "copy", anyway: true);
        Assert.Equal("done", write.GetProperty("step").GetString());
        var path = Path.Combine(app.Folder, "images", $"prepared-{imageId}.img");
        using var file = File.OpenRead(path);
        var bytes = ImageBytes.Of(file);
        var boot = PartitionTable.Read(bytes).Partitions[0];
        var menu = Encoding.UTF8.GetString(FileTree.Open(bytes.Slice(boot.StartBytes, boot.LengthBytes)).Tree!.Read("/EFI/BOOT/grub.cfg")!);
        return new(path, Regex.Match(menu, @"linux /vmlinuz (.*)").Groups[1].Value, app.Folder);
    }

    /// <summary>The emulated machine and its console.</summary>
    private sealed class Machine : IDisposable
    {
        private readonly Process process;
        private readonly StringBuilder console = new();
        private int read;

        private Machine(Process process)
        {
            this.process = process;
            _ = Task.Run(async () =>
            {
                var buffer = new char[4096];
                int count;
                while ((count = await process.StandardOutput.ReadAsync(buffer)) > 0)
                    lock (console)
                        console.Append(buffer, 0, count);
            });
        }

        public string Text
        {
            get
            {
                lock (console)
                    return console.ToString();
            }
        }

        public bool Off => process.HasExited;

        public static Machine Start(string made, Card card)
        {
            var start = new ProcessStartInfo(
                Emulator,
                $"-accel tcg -m 512 -display none -monitor none -serial stdio -nic none -no-reboot -kernel {made}/vmlinuz -initrd {made}/initrd.img -drive file={card.Path},format=raw,if=virtio,cache=writethrough -append"
            )
            {
                RedirectStandardInput = true,
                RedirectStandardOutput = true,
            };
            // A kernel that is held up takes the timer for broken and stops.
            start.Arguments += $" \"{card.Arguments} no_timer_check\"";
            return new(Process.Start(start)!);
        }

        /// <summary>Waits for a text behind the last one that was waited for.</summary>
        public async Task<string> Until(string pattern)
        {
            // An emulator beside other tests on a small machine is slow; what matters is that it comes.
            for (var i = 0; i < 4800; i++)
            {
                var text = Text;
                if (Regex.Match(text[read..], pattern) is { Success: true } found)
                {
                    var before = text.Substring(read, found.Index);
                    read += found.Index + found.Length;
                    return before;
                }
                Assert.False(process.HasExited && i > 20, $"The machine went down before “{pattern}”:\n{Tail(text)}");
                await Task.Delay(100);
            }
            throw new TimeoutException($"No “{pattern}” in:\n{Tail(Text)}");
        }

        private static string Tail(string text) => text[Math.Max(0, text.Length - 3000)..];

        public async Task LogIn(string prompt = "login: ")
        {
            if (!Text[read..].Contains(prompt, StringComparison.Ordinal))
                await process.StandardInput.WriteAsync("\n");
            await process.StandardInput.FlushAsync();
            await Until(prompt);
            await Send("warden");
            await Until("Password: ");
            await Send("correct horse");
            await Until(@"\$ ");
            await Send("stty -echo; PS1=; unset PROMPT_COMMAND; printf '\\033[?2004l'");
            await Task.Delay(500);
        }

        /// <summary>What a command prints.</summary>
        public async Task<string[]> Lines(string command)
        {
            await Send($"echo '<''<'; {command}; echo '>''>'");
            await Until("<<");
            return (await Until(">>")).Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        }

        private async Task Send(string line)
        {
            await process.StandardInput.WriteAsync(line + "\n");
            await process.StandardInput.FlushAsync();
        }

        public void Dispose()
        {
            process.Kill();
            process.WaitForExit();
            process.Dispose();
        }
    }
}
