using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;

namespace Buttonhook.App.Images;

/// <summary>The board of a dry boot: a model of the catalogue, or a file with a minimal board card.</summary>
public static class DryBoards
{
    private static readonly string[] Loaders = ["distro", "efi", "bios", "keyvalue"];
    private static readonly string[] Media = ["sd", "usb", "virtio"];

    /// <summary>The board that a word names: an id of the catalogue (with @revision for another than the newest), or a JSON file.</summary>
    public static Answer<DryBoard> Find(string word, Catalogue catalogue)
    {
        if (word.Split('@') is [var id, .. var rest] && catalogue.Model(id) is { } model)
        {
            if (model.Revision(rest.FirstOrDefault() ?? model.Revisions[^1].Id) is not { } revision)
                return new Problem(
                    $"{model.Name} has the revisions {string.Join(", ", model.Revisions.Select(r => r.Id))}.",
                    $"{rest[0]} is not one of them.",
                    "Look at the mark on the board."
                );
            return new DryBoard(
                model.InstructionSet,
                model.InstructionSet == InstructionSet.Amd64 ? "efi" : "distro",
                "sd",
                model.Console.Device,
                model.Console.Speed,
                model.MemoryMiB[0],
                [revision.Compatible],
                model.Banner
            );
        }
        if (!File.Exists(word))
            return new Problem(
                "--board should be an id of the catalogue or a JSON file.",
                $"{word} is neither.",
                $"Ids are {string.Join(", ", catalogue.Models.Select(m => m.Id))}."
            );
        try
        {
            var board = JsonSerializer.Deserialize<DryBoard>(File.ReadAllText(word), DataFile.Json);
            if (
                board is null
                || board.Compatible is null
                || board.ConsoleDevice is null
                || !Loaders.Contains(board.Loader)
                || !Media.Contains(board.BootMedium)
                || board.MemoryMiB <= 0
            )
                return Wrong(word, "something is missing or has another value");
            return board;
        }
        catch (JsonException e)
        {
            return Wrong(word, e.Message);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return Wrong(word, e.Message);
        }
    }

    private static Problem Wrong(string file, string why) =>
        new(
            $"{file} should be a board card: architecture (arm64, armhf, riscv64, amd64), loader ({string.Join(", ", Loaders)}), bootMedium ({string.Join(", ", Media)}), consoleDevice, consoleSpeed, memoryMiB, compatible, firmware.",
            $"In it {why}.".Replace("..", ".", StringComparison.Ordinal),
            "Correct the file; docs/formats shows one."
        );
}
