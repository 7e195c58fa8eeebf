using System.Diagnostics;
using System.Globalization;
using Buttonhook.Core;

namespace Buttonhook.Hardware.Cards;

/// <summary>Writes files into an ext2, ext3 or ext4 file system that lies in a file or device, and makes one, through e2fsprogs (debugfs(8), mke2fs(8)).</summary>
public static class ExtFiles
{
    /// <summary>Writes files in place; a problem when the tool is missing or refuses.</summary>
    /// <param name="offset">Where the file system begins, in bytes.</param>
    /// <param name="files">Path, content and mode in octal digits.</param>
    public static Problem? Write(string device, long offset, IReadOnlyList<(string Path, byte[] Content, string Mode)> files)
    {
        var folder = Directory.CreateTempSubdirectory("buttonhook-ext-").FullName;
        try
        {
            var script = new List<string>();
            var made = new HashSet<string>();
            for (var i = 0; i < files.Count; i++)
            {
                var (path, content, mode) = files[i];
                if (path.Any(c => c is '"' or '\n' or < ' '))
                    return new("A path holds plain characters.", $"“{path}” does not.", "Rename the file.");
                var source = Path.Combine(folder, i.ToString(CultureInfo.InvariantCulture));
                File.WriteAllBytes(source, content);
                var parts = path.Split('/', StringSplitOptions.RemoveEmptyEntries);
                for (var n = 1; n < parts.Length; n++)
                    if (string.Join('/', parts[..n]) is var parent && made.Add(parent))
                        script.Add($"mkdir \"/{parent}\"");
                var full = "/" + string.Join('/', parts);
                script.Add($"rm \"{full}\"");
                script.Add($"write \"{source}\" \"{full}\"");
                script.Add($"set_inode_field \"{full}\" mode 0100{mode.TrimStart('0').PadLeft(3, '0')}");
                script.Add($"set_inode_field \"{full}\" uid 0");
                script.Add($"set_inode_field \"{full}\" gid 0");
            }
            var commands = Path.Combine(folder, "commands");
            File.WriteAllLines(commands, script);
            var (code, output) = Run("debugfs", ["-w", "-f", commands, $"{device}?offset={offset}"]);
            if (code != 0)
                return Refused("debugfs", output);
            // debugfs tells of failures in words only: read every file back.
            for (var i = 0; i < files.Count; i++)
            {
                var back = Path.Combine(folder, $"back-{i}");
                Run("debugfs", ["-R", $"dump \"{files[i].Path}\" \"{back}\"", $"{device}?offset={offset}"]);
                if (!File.Exists(back) || !File.ReadAllBytes(back).AsSpan().SequenceEqual(files[i].Content))
                    return Refused("debugfs", output);
            }
            return null;
        }
        catch (IOException e)
        {
            return new(
                "The files should be written to the root file system.",
                e.Message,
                "Look at the disk, and whether e2fsprogs is installed."
            );
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    /// <summary>Makes an ext4 file system with the files of a folder in a part of a file.</summary>
    public static Problem? Make(string device, long offset, long bytes, string label, string uuid, string folder)
    {
        var (code, output) = Run(
            "mke2fs",
            [
                "-q",
                "-F",
                "-t",
                "ext4",
                "-L",
                label,
                "-U",
                uuid,
                "-E",
                $"offset={offset},lazy_itable_init=1,nodiscard",
                "-d",
                folder,
                device,
                $"{bytes / 1024}k",
            ]
        );
        return code == 0 ? null : Refused("mke2fs", output);
    }

    private static Problem Refused(string tool, string output) =>
        new(
            "The files should be written to the root file system.",
            $"{tool} says: {output.Trim().Split('\n').LastOrDefault(l => l.Length > 0 && !l.StartsWith("debugfs 1", StringComparison.Ordinal) && !l.StartsWith("debugfs:", StringComparison.Ordinal)) ?? "nothing"}",
            "Write the image again, or check whether e2fsprogs is installed."
        );

    private static (int Code, string Output) Run(string tool, string[] arguments)
    {
        var path = new[] { "/usr/sbin", "/sbin", "/usr/bin" }.Select(f => Path.Combine(f, tool)).FirstOrDefault(File.Exists);
        if (path is null)
            return (127, $"{tool} is not installed");
        var start = new ProcessStartInfo(path, arguments) { RedirectStandardError = true, RedirectStandardOutput = true };
        using var process = Process.Start(start)!;
        var errors = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return (process.ExitCode, output + errors.Result);
    }
}
