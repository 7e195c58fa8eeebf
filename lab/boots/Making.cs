using System.Diagnostics;
using System.IO.Enumeration;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;

namespace Buttonhook.Lab;

/// <summary>Makes and records what is not there yet.</summary>
internal static class Making
{
    /// <summary>What one boot of the lab leaves beside its bytes.</summary>
    internal sealed record Truth(
        string System,
        string Machine,
        string Init,
        string Early,
        string Chain,
        string Name,
        string Cause,
        IReadOnlyList<string> Accept,
        IReadOnlyList<string> Outcomes,
        IReadOnlyList<int> KeyLines,
        string MadeHow
    );

    private static readonly string Here = AppContext.BaseDirectory;
    private static readonly JsonSerializerOptions Json = new() { PropertyNamingPolicy = JsonNamingPolicy.CamelCase, WriteIndented = true };

    public static async Task<int> All(string folder, string[] patterns)
    {
        folder = Path.GetFullPath(folder);
        var logs = Directory.CreateDirectory(Path.Combine(folder, "logs")).FullName;
        var (made, odd) = (0, 0);
        foreach (var kit in Kits.All())
        {
            var system = Path.Combine(folder, "systems", kit.Made);
            if (!File.Exists(Path.Combine(system, "done")))
                continue;
            var cases = Faults
                .Of(kit)
                .Where(c => patterns.Length == 0 || patterns.Any(p => FileSystemName.MatchesSimpleExpression(p, $"{kit.Id}/{c.Name}")))
                .Where(c =>
                    !File.Exists(Path.Combine(logs, $"{kit.Id}.{c.Name}.json"))
                    && !File.Exists(Path.Combine(logs, $"{kit.Id}.{c.Name}.odd"))
                )
                .ToList();
            if (cases.Count == 0)
                continue;
            // Several may make boots in one folder.
            var prepared = Path.Combine(folder, "kits", $"{kit.Id}.{Environment.ProcessId}");
            Directory.CreateDirectory(prepared);
            if (kit.Is("installer"))
                await Shell(["mke2fs", "-q", "-t", "ext4", "-L", "labroot", "root.ext4", "24M"], system);
            if (kit.Is("busybox"))
            {
                // A system of one file has no root: what kit.sh fits into the second partition is an empty file system.
                var own = Directory.CreateDirectory(Path.Combine(prepared, "system")).FullName;
                File.Copy(Path.Combine(system, "vmlinuz"), Path.Combine(own, "vmlinuz"), true);
                await Shell(
                    [
                        Path.Combine(Here, "onefile.sh"),
                        Busybox(folder, kit.Machine.Name),
                        Busybox(folder, Other(kit)),
                        kit.Machine.Console,
                        Path.Combine(own, "initrd.img"),
                    ],
                    own
                );
                await Shell(["mke2fs", "-q", "-t", "ext4", "-L", "labroot", "root.ext4", "24M"], own);
                system = own;
            }
            await Shell(
                [
                    Path.Combine(Here, "kit.sh"),
                    system,
                    Path.Combine(folder, "parts"),
                    kit.Chain,
                    kit.Machine.Name,
                    kit.Machine.Console,
                    prepared,
                ],
                prepared
            );
            await Parallel.ForEachAsync(
                cases,
                new ParallelOptions { MaxDegreeOfParallelism = Math.Max(2, Environment.ProcessorCount) },
                async (one, token) =>
                {
                    var name = $"{kit.Id}.{one.Name}";
                    try
                    {
                        var fits = await Record(folder, logs, prepared, kit, one, name, token);
                        Interlocked.Increment(ref made);
                        if (!fits)
                            Interlocked.Increment(ref odd);
                    }
                    catch (Exception e) when (e is InvalidOperationException or IOException)
                    {
                        Console.WriteLine($"{name}: {e.Message.ReplaceLineEndings(" ")}");
                    }
                }
            );
            Directory.Delete(prepared, true);
        }
        Console.WriteLine($"{made} recorded, {odd} did not end as they should and are set aside");
        return 0;
    }

    private static string Other(Kit kit) => kit.Machine.Name == "s390x" ? "arm64" : "s390x";

    private static string Busybox(string folder, string machine) =>
        Directory
            .GetFiles(
                Path.Combine(folder, "parts", $"{(machine == "riscv64" ? "trixie" : "bookworm")}-{machine}-busybox-static"),
                "busybox",
                SearchOption.AllDirectories
            )
            .First(f => new FileInfo(f).Length > 100_000);

    private static async Task<bool> Record(
        string folder,
        string logs,
        string prepared,
        Kit kit,
        Case one,
        string name,
        CancellationToken token
    )
    {
        var setup = one.Setup;
        var work = Directory.CreateTempSubdirectory("lab-").FullName;
        try
        {
            var console =
                setup.Console ?? (kit.Machine.Name is "ppc64el" or "s390x" ? kit.Machine.Console : $"{kit.Machine.Console},115200");
            var words = string.Join(
                ' ',
                new[] { setup.Root, console.Length == 0 ? "" : $"console={console}", setup.Words }.Where(w => w.Length > 0)
            );
            var inRoot = kit.Is("busybox", "installer") ? null : Faults.Getty(kit) + setup.InRoot;
            await Shell(
                [Path.Combine(Here, "case.sh"), prepared],
                work,
                new()
                {
                    ["WORDS"] = words,
                    ["CHAIN"] = kit.Chain,
                    ["ARCH"] = kit.Machine.Name,
                    ["UARCH"] = kit.Machine.Name switch
                    {
                        "armhf" => "arm",
                        "riscv64" => "riscv",
                        _ => "arm64",
                    },
                    ["NO_INITRD"] = setup.NoInitrd ? "1" : "",
                    ["NO_DISK"] = setup.NoDisk ? "1" : "",
                    ["IN_ROOT"] = inRoot ?? "",
                    ["IN_BOOT"] = setup.InBoot ?? "",
                    ["AT_DISK"] = setup.AtDisk ?? "",
                    ["AT_INITRD"] = setup.AtInitrd ?? "",
                    ["T"] = kit.Machine.Console,
                    ["N"] = kit.Node,
                    ["OTHER"] = Busybox(folder, Other(kit)),
                    ["OTHERKERNEL"] = OtherKernel(folder, kit),
                    ["OTHERTREE"] = Path.Combine(folder, "parts/other.dtb"),
                }
            );
            if (kit.Disk == "card" && File.Exists(Path.Combine(work, "disk.raw")))
            {
                using var card = File.OpenWrite(Path.Combine(work, "disk.raw"));
                card.SetLength((long)System.Numerics.BitOperations.RoundUpToPowerOf2((ulong)card.Length));
            }
            var command = Command(folder, kit, setup, words, work);
            var slow =
                kit.Is("busybox") ? 2
                : kit.Machine.Slow == 1 ? 2
                : 4;
            var quiet =
                2
                // Loaders that read through the firmware take long over an initial file system.
                + (kit.Chain is "grub" or "syslinux" && !kit.Is("busybox") ? 2.5 : 1)
                    * setup.Quiet
                    * (
                        kit.Is("busybox") ? 1
                        : setup.Quiet >= 40 ? 1.3
                        : kit.Machine.Slow == 1 ? 1.6
                        : 2.2
                    );
            var recorded = await Recording.Of(command, work, setup.Typing, setup.Doing, setup.Most * slow, quiet, setup.AfterLogin, token);
            var log = Renamed(recorded.Log);
            var lines = Encoding.UTF8.GetString(log).Split('\n');
            var proof = one.Proof.Select(p => new Regex(p, RegexOptions.CultureInvariant)).ToList();
            var keys = lines
                .Select((text, i) => (Text: Coloured.Replace(text, ""), Line: i + 1))
                .Where(l => proof.Exists(p => p.IsMatch(l.Text)))
                .Select(l => l.Line)
                .Take(400)
                .ToList();
            // An installer asks its first question instead.
            var plain = Coloured.Replace(Encoding.Latin1.GetString(log), "");
            var login =
                LoginPrompt.IsMatch(plain)
                || kit.Is("installer")
                    && (
                        plain.Contains("<Tab> moves", StringComparison.Ordinal)
                        || plain.Contains("Prompt: '?' for help", StringComparison.Ordinal)
                    );
            var wanted = one.Outcomes.Contains("reached-login") || one.Outcomes.Contains("degraded");
            var must = one.Outcomes.All(o => o is "reached-login" or "degraded");
            // A slow machine lets services run out of time: such a boot is no good one.
            if (one.Cause == "none" && plain.Contains("[FAILED]", StringComparison.Ordinal))
                keys = [0];
            // A computer that is busy with others starves the machine's timer: that is no fault of the system.
            var starved = Encoding.Latin1.GetString(log).Contains("IO-APIC + timer doesn't work", StringComparison.Ordinal);
            // A log without any line that proves it was ended too early, or the fault did not take.
            var fits =
                !starved
                && (one.Cause == "none" ? keys.Count == 0 : one.Proof.Count == 0 || keys.Count > 0)
                && (!login || wanted)
                && (login || !must)
                && (log.Length > 0 || one.Outcomes.Contains("silent"));
            var truth = new Truth(
                kit.Id,
                kit.Machine.Name,
                kit.Init,
                kit.Early,
                kit.Chain,
                one.Name,
                one.Cause,
                [one.Cause, .. one.Accept ?? []],
                Outcomes(one, login, Restarts(log)),
                keys,
                $"{one.Name} in {kit.Id} ({kit.Made}, {kit.Chain}, {kit.Init}, {kit.Early}) | {Regex.Replace(string.Join(' ', command), @"/\S*/", "")} | ended: {recorded.Ended}"
            );
            File.WriteAllBytes(Path.Combine(logs, $"{name}.log"), log);
            File.WriteAllLines(Path.Combine(logs, $"{name}.times"), recorded.Times.Select(t => $"{t.Milliseconds}\t{t.At}"));
            File.WriteAllText(Path.Combine(logs, $"{name}.{(fits ? "json" : "odd")}"), JsonSerializer.Serialize(truth, Json));
            Console.WriteLine(
                $"{(fits ? "     " : "ODD  ")}{name}: {log.Length} bytes, {recorded.Ended}, login {login}, proof {keys.Count}"
            );
            return fits;
        }
        finally
        {
            await Shell(
                [
                    "bash",
                    "-c",
                    "umount mnt 2>/dev/null; for l in $(losetup -n -O NAME -j disk.raw 2>/dev/null); do losetup -d $l; done; true",
                ],
                work
            );
            Directory.Delete(work, true);
        }
    }

    /// <summary>What the log alone can say of the end: where a login came it is one of the two with a login, where none came it is not.</summary>
    private static IReadOnlyList<string> Outcomes(Case one, bool login, int restarts)
    {
        if (one.Outcomes is ["rebooting"] && restarts < 3)
            return ["stopped", "rebooting"];
        var those = one.Outcomes.Where(o => o is "reached-login" or "degraded" == login).ToList();
        return those.Count > 0 ? those : one.Outcomes;
    }

    /// <summary>How often a kernel began.</summary>
    private static int Restarts(byte[] log) => Regex.Count(Encoding.Latin1.GetString(log), @"\] Linux version ");

    private static readonly Regex Coloured = new(@"\x1b\[[0-9;?]*[A-Za-z]|\x1b[()][0-9A-B]|\r");
    private static readonly Regex LoginPrompt = new(@"(?m)^\S* ?\S+ login: ?");

    private static string OtherKernel(string folder, Kit kit) =>
        new[] { "d12-arm64", "d13-riscv64", "d12-armhf", "d12-amd64" }
            .Where(s => !s.EndsWith(kit.Machine.Name, StringComparison.Ordinal))
            .Select(s => Path.Combine(folder, "systems", s, "vmlinuz"))
            .FirstOrDefault(File.Exists)
        ?? "/bin/true";

    /// <summary>The distribution gets an invented name of the same length.</summary>
    private static byte[] Renamed(byte[] log)
    {
        var text = Encoding.Latin1.GetString(log);
        foreach (var (real, invented) in new[] { ("Debian", "Fallow"), ("debian", "fallow"), ("DEBIAN", "FALLOW") })
            text = text.Replace(real, invented, StringComparison.Ordinal);
        return Encoding.Latin1.GetBytes(text);
    }

    private static List<string> Command(string folder, Kit kit, Setup setup, string words, string work)
    {
        var firmware = Path.Combine(folder, "parts", $"{kit.Loader}-all-u-boot-qemu/usr/lib/u-boot");
        var memory =
            setup.Memory > 0 ? setup.Memory
            : kit.Machine.Name is "mips64el" or "mipsel" or "armhf" ? 512
            : kit.Init == "busybox" ? 384
            : 1024;
        var line = new List<string>();
        line.AddRange(kit.Machine.Command.Split(' '));
        line.AddRange(["-m", $"{memory}", "-smp", $"{kit.Processors}"]);
        line.AddRange(
            (kit.Chain, kit.Machine.Name) switch
            {
                ("kernel", _) =>
                [
                    "-kernel",
                    "vmlinuz",
                    "-append",
                    words,
                    .. setup.NoInitrd || !File.Exists(Path.Combine(work, "initrd.img")) ? (string[])[] : ["-initrd", "initrd.img"],
                ],
                ("extlinux" or "script", "riscv64") => ["-kernel", Path.Combine(firmware, "qemu-riscv64_smode/u-boot.bin")],
                ("extlinux" or "script", "armhf") => ["-bios", Path.Combine(firmware, "qemu_arm/u-boot.bin")],
                ("extlinux" or "script", _) => ["-bios", Path.Combine(firmware, "qemu_arm64/u-boot.bin")],
                ("grub-efi" or "boot-menu" or "efi", "arm64") => ["-bios", "/usr/share/qemu-efi-aarch64/QEMU_EFI.fd"],
                ("grub-efi" or "boot-menu" or "efi", _) => ["-bios", "/usr/share/ovmf/OVMF.fd"],
                _ => (string[])[],
            }
        );
        var more = setup.More;
        var drive = setup.Drive;
        if (drive.Contains("BLKDEBUG", StringComparison.Ordinal))
        {
            var sector = int.Parse(Regex.Match(more, @"ERRORS=(\d+)").Groups[1].Value);
            var file = Path.Combine(work, "errors.conf");
            var from = (1 + 192) * 2048 + sector;
            var rules = new StringBuilder();
            for (var i = 0; i < 24; i++)
                rules.AppendLine($"[inject-error]\nevent = \"read_aio\"\nerrno = \"5\"\nsector = \"{from + i * 8}\"");
            File.WriteAllText(file, rules.ToString());
            drive = drive.Replace("BLKDEBUG", file);
            more = "";
        }
        if (!setup.NoDisk)
        {
            line.AddRange(["-drive", string.Format(drive, Path.Combine(work, "disk.raw"))]);
            line.AddRange(string.Format(kit.Machine.Disks[kit.Disk].Device, "d0").Split(' '));
        }
        if (!setup.NoNet && kit.Machine.Net is { } net)
            line.AddRange(["-netdev", setup.Net ?? "user,id=n0,restrict=on", .. string.Format(net, "n0").Split(' ')]);
        else
            line.AddRange(["-nic", "none"]);
        if (more.Length > 0)
            line.AddRange(more.Split(' '));
        return line;
    }

    private static async Task Shell(IReadOnlyList<string> command, string folder, Dictionary<string, string>? environment = null)
    {
        var start = new ProcessStartInfo(command[0])
        {
            WorkingDirectory = folder,
            RedirectStandardError = true,
            RedirectStandardOutput = true,
        };
        foreach (var word in command.Skip(1))
            start.ArgumentList.Add(word);
        foreach (var (name, value) in environment ?? [])
            start.Environment[name] = value;
        using var process = Process.Start(start)!;
        var output = process.StandardOutput.ReadToEndAsync();
        var errors = process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        if (process.ExitCode != 0)
            throw new InvalidOperationException(
                $"{Path.GetFileName(command[0])} ended with {process.ExitCode}: {await errors} {await output}"
            );
    }
}
