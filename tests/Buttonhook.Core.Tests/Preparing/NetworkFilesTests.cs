using System.Diagnostics;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Tests.Preparing;

/// <summary>
/// A fixed address, read by the packaged tools that read it on a board: cloud-init, netplan and ifupdown out of their packages
/// (BUTTONHOOK_READERS, which tests/run fills; without it these tests say that they were skipped).
/// </summary>
public sealed class NetworkFilesTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-network-").FullName;

    public void Dispose() => Directory.Delete(folder, true);

    private static string Reader(string path)
    {
        var readers = Environment.GetEnvironmentVariable("BUTTONHOOK_READERS");
        Assert.SkipWhen(readers is null || !Path.Exists(Path.Combine(readers, path)), $"BUTTONHOOK_READERS has no {path}");
        return readers!;
    }

    private static FirstBoot Set(string interfaceName) =>
        FirstBoot.Usual with
        {
            Address = new(interfaceName, "192.0.2.10/24 2001:db8::10/64", "192.0.2.1 2001:db8::1", ["192.0.2.3", "2001:db8::3"]),
        };

    private string File(string name, string text)
    {
        var path = Path.Combine(folder, name);
        Directory.CreateDirectory(Path.GetDirectoryName(path)!);
        System.IO.File.WriteAllText(path, text);
        System.IO.File.SetUnixFileMode(path, UnixFileMode.UserRead | UnixFileMode.UserWrite);
        return path;
    }

    private static async Task<string> Run(string program, Dictionary<string, string> environment, params string[] arguments)
    {
        var start = new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true, RedirectStandardError = true };
        foreach (var (name, value) in environment)
            start.Environment[name] = value;
        using var run = Process.Start(start)!;
        var (said, wrong) = (run.StandardOutput.ReadToEndAsync(), run.StandardError.ReadToEndAsync());
        await run.WaitForExitAsync();
        Assert.True(run.ExitCode == 0, $"{program} ended with {run.ExitCode}: {await wrong}");
        return await said + await wrong;
    }

    [Theory]
    [InlineData("eni", NetworkSetup.Ifupdown, "eth0")]
    [InlineData("networkd", NetworkSetup.Networkd, "")]
    [InlineData("networkd", NetworkSetup.Networkd, "end0")]
    [InlineData("netplan", NetworkSetup.Netplan, "")]
    [InlineData("netplan", NetworkSetup.Netplan, "end0")]
    public async Task Cloud_init_renders_address_and_gateway_of_both_kinds(string renderer, NetworkSetup network, string interfaceName)
    {
        var readers = Reader("usr/lib/python3/dist-packages/cloudinit");
        var config = File("network-config", CloudInit.NetworkConfig(Set(interfaceName), network)!);
        await Run(
            "/usr/bin/python3",
            new() { ["PYTHONPATH"] = Path.Combine(readers, "usr/lib/python3/dist-packages") },
            [.. "-W ignore -m cloudinit.cmd.main devel net-convert -k yaml -D debian -O".Split(' '), renderer, "-p", config, "-d", folder]
        );
        var rendered = string.Concat(
            Directory.GetFiles(folder, "*", SearchOption.AllDirectories).Where(f => f != config).Select(System.IO.File.ReadAllText)
        );
        Assert.Contains("192.0.2.10/24", rendered);
        Assert.Contains("2001:db8::10/64", rendered);
        Assert.Matches(@"(?i)gateway[ =]192\.0\.2\.1\b|to: 0\.0\.0\.0/0\s+via: 192\.0\.2\.1\b", rendered);
        Assert.Matches("(?i)gateway[ =]2001:db8::1\\b|to: ::/0\\s+via: 2001:db8::1\\b", rendered);
        if (renderer == "netplan")
            await Netplan(rendered, readers);
    }

    [Fact]
    public async Task Netplan_takes_what_the_script_writes() =>
        await Netplan(NetworkFiles.Netplan(Set("").Address!), Reader("usr/libexec/netplan"));

    private async Task Netplan(string yaml, string readers)
    {
        var generate = Path.Combine(readers, "usr/libexec/netplan/generate");
        Assert.SkipUnless(System.IO.File.Exists(generate), "netplan is not there");
        File("np/etc/netplan/90.yaml", yaml);
        var said = await Run(
            generate,
            new() { ["LD_LIBRARY_PATH"] = Path.Combine(readers, "usr/lib/x86_64-linux-gnu") },
            "--root-dir",
            Path.Combine(folder, "np")
        );
        Assert.DoesNotContain("deprecated", said);
        var unit = string.Concat(
            Directory.GetFiles(Path.Combine(folder, "np/run/systemd/network"), "*.network").Select(System.IO.File.ReadAllText)
        );
        Assert.Matches(@"Name=(e\*|end0)\n", unit);
        Assert.Contains("Address=192.0.2.10/24", unit);
        Assert.Contains("Gateway=192.0.2.1\n", unit);
        Assert.Contains("Gateway=2001:db8::1\n", unit);
    }

    [Theory]
    [InlineData("eth0", "eth0")]
    [InlineData("", "first-boot")]
    public async Task Ifupdown_reads_what_is_written_for_it(string interfaceName, string stanza)
    {
        var readers = Reader("sbin/ifup");
        var file = File("interfaces", NetworkFiles.Ifupdown(Set(interfaceName).Address!));
        var said = await Run(Path.Combine(readers, "sbin/ifquery"), [], $"--interfaces={file}", $"--state-dir={folder}", stanza);
        Assert.Contains("address: 192.0.2.10\n", said);
        Assert.Contains("netmask: 255.255.255.0\n", said);
        Assert.Contains("gateway: 192.0.2.1", said);
    }
}
