using System.Diagnostics;
using System.Security.Cryptography;
using System.Text.Json;
using Buttonhook.Core.Tests;

namespace Buttonhook.App.Tests;

/// <summary>The commands as a person types them: what is printed, what goes to the error stream, and the exit code.</summary>
public sealed class CommandLineTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;

    public void Dispose() => Directory.Delete(folder, true);

    /// <summary>Runs the program, with text for its standard input where it is given.</summary>
    public static async Task<(int Code, string Out, string Error)> Run(params string[] arguments)
    {
        var start = new ProcessStartInfo("dotnet", [typeof(BenchApp).Assembly.Location, .. arguments])
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            RedirectStandardInput = true,
        };
        using var process = Process.Start(start)!;
        process.StandardInput.Close();
        var output = process.StandardOutput.ReadToEndAsync();
        var error = process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        return (process.ExitCode, await output, await error);
    }

    private static async Task<string> Good(params string[] arguments)
    {
        var (code, printed, error) = await Run(arguments);
        Assert.Equal((0, ""), (code, error));
        return printed;
    }

    /// <summary>A refusal is one problem in plain words on the error stream, and nothing else.</summary>
    private static async Task<string> Refused(int expected, params string[] arguments)
    {
        var (code, printed, error) = await Run(arguments);
        Assert.Equal((expected, ""), (code, printed));
        Assert.StartsWith("buttonhook: ", error);
        Assert.DoesNotContain("   at ", error);
        return error;
    }

    private string File(string name, byte[] bytes)
    {
        var path = Path.Combine(folder, name);
        System.IO.File.WriteAllBytes(path, bytes);
        return path;
    }

    private string File(string name, string text) => File(name, System.Text.Encoding.UTF8.GetBytes(text));

    private string Image() =>
        File("fallow.img", ImageMaker.Disk(ImageMaker.Fat(ImageMaker.BootFiles()), ImageMaker.Ext(ImageMaker.RootFiles())));

    private const string Board = """
        {"architecture":"arm64","loader":"distro","bootMedium":"sd","consoleDevice":"ttyAMA0","consoleSpeed":115200,
         "memoryMiB":512,"compatible":[],"firmware":""}
        """;

    [Fact]
    public async Task An_image_is_told_in_lines_and_in_json()
    {
        var image = Image();
        var board = File("board.json", Board);
        var lines = await Good("inspect", image, "--board", board);
        Assert.Contains("partition table mbr", lines);
        Assert.Contains("System: Fallow 12 server, 64-bit ARM", lines);
        Assert.Contains("Dry boot: boots", lines);
        Assert.DoesNotContain("FAILED", lines);
        Assert.DoesNotContain("Dry boot", await Good("inspect", image));
        var json = JsonDocument.Parse(await Good("inspect", image, "--board", board, "--json")).RootElement;
        Assert.Equal("buttonhook.inspection/1", json.GetProperty("format").GetString());
        Assert.Equal(Convert.ToHexStringLower(SHA256.HashData(System.IO.File.ReadAllBytes(image))), json.GetProperty("sha256").GetString());
        Assert.Equal("boots", json.GetProperty("dryBoot").GetProperty("verdict").GetString());
        Assert.Equal(0, json.GetProperty("dryBoot").GetProperty("causes").GetArrayLength());
        Assert.Equal("ttyAMA0,115200", json.GetProperty("consoles")[0].GetString());
    }

    [Fact]
    public async Task Every_file_gets_the_same_kind_of_answer_also_for_programs()
    {
        const string board =
            """{"architecture":"arm64","loader":"distro","bootMedium":"sd","consoleDevice":"ttyAMA0","consoleSpeed":115200,"memoryMiB":512,"compatible":[],"firmware":""}""";
        var card = File("board.json", board);
        var page = File("fallow.img", "<!doctype html><title>Log in</title>");
        var told = JsonSerializer.Deserialize<JsonElement>(await Good("inspect", page, "--board", card, "--json"));
        Assert.Equal("page", told.GetProperty("nature").GetProperty("kind").GetString());
        Assert.Equal("does-not-boot", told.GetProperty("dryBoot").GetProperty("verdict").GetString());
        Assert.Contains("It is a page of the web", await Good("inspect", page));

        var (code, output, _) = await Run(
            "inspect",
            File("cut.img.xz", [0xFD, (byte)'7', (byte)'z', (byte)'X', (byte)'Z', 0, 1]),
            "--board",
            card,
            "--json"
        );
        Assert.Equal(1, code);
        told = JsonSerializer.Deserialize<JsonElement>(output);
        Assert.Equal("unreadable", told.GetProperty("nature").GetProperty("kind").GetString());
        Assert.Equal(["image-truncated"], told.GetProperty("dryBoot").GetProperty("causes").EnumerateArray().Select(c => c.GetString()));
    }

    [Fact]
    public async Task A_torn_chain_is_told_with_cause_fix_and_edit()
    {
        var files = ImageMaker.BootFiles();
        files["/extlinux/extlinux.conf"] = System.Text.Encoding.ASCII.GetBytes(
            ImageMaker.Menu("root=LABEL=other rootwait console=ttyAMA0,115200")
        );
        var image = File("torn.img", ImageMaker.Disk(ImageMaker.Fat(files), ImageMaker.Ext(ImageMaker.RootFiles())));
        var board = File("board.json", Board);
        var lines = await Good("inspect", image, "--board", board);
        Assert.Contains("Dry boot: does not boot", lines);
        Assert.Contains("FAILED", lines);
        Assert.Contains("root-not-found: Name a root that is there", lines);
        Assert.Contains("in p1:/extlinux/extlinux.conf, line 5: root=LABEL=other becomes root=PARTUUID=5e1c04aa-02", lines);
        var dry = JsonDocument.Parse(await Good("inspect", image, "--board", board, "--json")).RootElement.GetProperty("dryBoot");
        Assert.Equal(["root-not-found"], dry.GetProperty("causes").EnumerateArray().Select(c => c.GetString()));
        var step = dry.GetProperty("steps").EnumerateArray().First(s => s.GetProperty("cause").ValueKind is not JsonValueKind.Null);
        Assert.Equal(("failed", "root-not-found"), (step.GetProperty("result").GetString(), step.GetProperty("cause").GetString()));
        Assert.Equal("root=PARTUUID=5e1c04aa-02", step.GetProperty("edit").GetProperty("after").GetString());
    }

    [Fact]
    public async Task A_download_is_compared_with_its_sum()
    {
        var image = Image();
        var right = Convert.ToHexStringLower(SHA256.HashData(System.IO.File.ReadAllBytes(image)));
        Assert.Contains("partition table", await Good("inspect", image, "--sum", right));
        Assert.Contains(
            "partition table",
            await Good("inspect", image, "--sum", File("SHA256SUMS", $"{right}  fallow.img\n{new string('0', 64)}  other.img\n"))
        );
        Assert.Contains("checksum", await Refused(1, "inspect", image, "--sum", new string('0', 64)));
        await Refused(1, "inspect", image, "--sum", "abc");
    }

    [Theory]
    [InlineData("{\"architecture\":\"arm64\"}")]
    [InlineData("{ not json")]
    [InlineData("")]
    [InlineData("[]")]
    [InlineData(
        "{\"architecture\":\"m68k\",\"loader\":\"distro\",\"bootMedium\":\"sd\",\"consoleDevice\":\"ttyS0\",\"consoleSpeed\":1,\"memoryMiB\":1,\"compatible\":[],\"firmware\":\"\"}"
    )]
    public async Task A_board_file_that_is_none_is_refused(string text) =>
        await Refused(2, "inspect", Image(), "--board", File("board.json", text));

    [Fact]
    public async Task A_board_that_nobody_knows_is_refused() =>
        Assert.Contains("orchard-nothing", await Refused(2, "inspect", Image(), "--board", "orchard-nothing"));

    [Fact]
    public async Task Boards_are_told_from_mark_code_tree_and_looks()
    {
        var both = await Good("identify", "--mark", "Quill V");
        Assert.Contains("Quill V, revision A", both);
        Assert.Contains("Look next:", both);
        var one = await Good("identify", "--mark", "Quill V", "--seen", "mark:On the back, beside the memory=QUILL-V B");
        Assert.Contains("Quill V, revision B", one.Split('\n')[0]);
        var code = await Good("identify", "--code", "c4013");
        Assert.StartsWith("Spindle 2, revision 1.3", code.Split("  ", 2)[1].Trim().Replace("Thornlea ", ""));
        Assert.Contains("memory 1 GB", code);
        var json = JsonDocument.Parse(await Good("identify", "--mark", "QUILL-V B", "--json")).RootElement;
        var sum = json.GetProperty("candidates").EnumerateArray().Sum(c => c.GetProperty("probability").GetDouble());
        // Candidates that are next to impossible are left out.
        Assert.InRange(sum + json.GetProperty("unknown").GetDouble(), 0.99, 1.000001);
        Assert.Contains("Contradiction", await Good("identify", "--mark", "QUILL-V B", "--code", "c4013"));
    }

    [Theory]
    [InlineData("LOOK=ANSWER", "--seen", "nothing")]
    [InlineData("can be read", "--log", "/no/such/log")]
    [InlineData("can be read", "--dtb", "/no/such/tree")]
    public async Task Clues_that_cannot_be_used_are_refused(string words, params string[] arguments) =>
        Assert.Contains(words, await Refused(1, ["identify", .. arguments]));

    [Fact]
    public async Task A_card_is_drafted_filled_in_checked_added_and_printed_again()
    {
        var tree = File("pip.dtb", new TreeMaker().Text("/", "model", "Quince Pip 1 rev A").Text("/", "compatible", "quince,pip-1").Blob());
        var draft = await Good("profiles", "draft", "--dtb", tree);
        Assert.Contains("# read from device tree: name is Pip 1", draft);
        Assert.Contains("# to fill in, power:", draft);
        var card = File("pip.yaml", draft);
        Assert.Contains("1 boards, 0 images, 0 revision codes, 0 experiences, all in order", await Good("profiles", "check", card));
        var data = Path.Combine(folder, "data");
        Directory.CreateDirectory(data);
        Assert.Contains("Added 1 boards", await Good("profiles", "import", card, "--data", data));
        var printed = await Good("profiles", "export", "--data", data);
        Assert.Contains("id: quince-pip-1", printed);
        // What was imported is known to the other commands.
        Assert.Contains("Pip 1", await Good("identify", "--mark", "Pip 1", "--data", data));
        Assert.DoesNotContain("quince-pip-1 is neither", (await Run("inspect", card, "--board", "quince-pip-1", "--data", data)).Error);
        var again = File("again.yaml", printed);
        Assert.Contains("all in order", await Good("profiles", "check", again));
        // The name of before is still taken.
        Assert.Equal(printed, await Good("cards", "export", "quince-pip-1", "--data", data));
        Assert.Contains("nobody", await Refused(1, "profiles", "export", "nobody", "--data", data));
    }

    [Fact]
    public async Task Files_of_cards_that_are_none_are_refused()
    {
        await Refused(1, "profiles", "check", Path.Combine(folder, "gone.yaml"));
        Assert.Contains("YAML", await Refused(1, "profiles", "check", File("a.yaml", ": {")));
        Assert.Contains("format", await Refused(1, "profiles", "import", File("b.yaml", "a: 1\n"), "--data", folder));
        await Refused(1, "profiles", "draft", "--log", Path.Combine(folder, "gone.log"));
    }

    [Fact]
    public async Task A_log_is_diagnosed_in_lines_and_what_is_no_log_is_refused()
    {
        var log = File(
            "boot.log",
            "U-Boot 2023.01 (Jun 22 2026)\r\n[    0.000000] Linux version 6.1.0\r\n[    1.0] Kernel panic - not syncing: VFS: Unable to mount root fs on unknown-block(0,0)\r\n"
        );
        var lines = await Good("diagnose", log);
        Assert.Contains("root-not-found", lines);
        Assert.Contains("line 3", lines);
        Assert.Contains("fix:", lines);
        Assert.Contains("gzip", await Refused(1, "diagnose", File("boot.gz", [0x1F, 0x8B, 8, 0, 1, 2, 3, 4, 5, 6])));
    }
}
