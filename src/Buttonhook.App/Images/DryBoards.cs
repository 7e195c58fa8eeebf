using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Core.Keeping;
using Buttonhook.Hardware;

namespace Buttonhook.App.Images;

/// <summary>The board of a dry boot: a model of the catalogue, or a file with a minimal board profile.</summary>
public static class DryBoards
{
    private static readonly string[] Loaders = ["distro", "efi", "bios", "keyvalue"];
    private static readonly string[] Media = ["sd", "usb", "virtio"];

    /// <summary>A board of the bench with its own memory.</summary>
    public static Answer<DryBoard> Of(Board board, Catalogue catalogue)
    {
        var found = Find($"{board.ModelId}@{board.RevisionId}", catalogue);
        return found.Value is { } dry ? dry with { MemoryMiB = board.MemoryMiB ?? dry.MemoryMiB } : found;
    }

    /// <summary>The board that a word names: an id of the catalogue (with @revision for another than the newest), a board profile in YAML, or a minimal card in JSON.</summary>
    public static Answer<DryBoard> Find(string word, Catalogue catalogue, ProfileSchemas? schemas = null)
    {
        if (word.Split('@') is [var id, .. var rest] && catalogue.Model(id) is { } model)
            return Of(model, rest.FirstOrDefault());
        if (FileKinds.Of(word).Kind == FileKind.Missing)
            return new Problem(
                "--board should be an id of the catalogue, a board profile, or a minimal card in JSON.",
                $"{word} is neither.",
                $"Ids are {string.Join(", ", catalogue.Models.Select(m => m.Id))}."
            );
        if (schemas is null || IsMinimal(word))
            return Minimal(word);
        var text = InputFiles.Text(word, "--board");
        if (text.Value is null)
            return text.Problem!;
        var pack = ProfilePack.Read(word, text.Value, schemas);
        return pack.Value is not { } cards ? pack.Problem!
            : cards.Boards is [var card] ? Of(card, null)
            : new Problem($"{word} should hold one board profile.", $"It holds {cards.Boards.Count}.", "Export the one you mean.");
    }

    /// <summary>Whether a word names a file with a minimal board profile, which needs nothing of the catalogue.</summary>
    public static bool IsMinimal(string word)
    {
        return FileKinds.Of(word).Kind == FileKind.Regular && InputFiles.Text(word, "--board").Value?.TrimStart() is ['{', ..];
    }

    /// <summary>Reads a minimal board profile in JSON; what is missing or wrong in it is a problem.</summary>
    public static Answer<DryBoard> Minimal(string word)
    {
        var text = InputFiles.Text(word, "--board");
        if (text.Value is null)
            return text.Problem!;
        try
        {
            var board = JsonSerializer.Deserialize<DryBoard>(text.Value, DataFile.Json);
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

    private static Answer<DryBoard> Of(BoardProfile model, string? revisionId) =>
        model.Revision(revisionId ?? model.Revisions[^1].Id) is { } revision
            ? model.InstructionSet is not { } set
                ? new Problem(
                    $"A dry boot needs the processor of {model.FullName}.",
                    "Nothing has shown yet which one it has.",
                    "Bring its device tree or the first lines of its boot log. All else of the image is used as it is."
                )
                : new DryBoard(
                    set,
                    model.Loader,
                    "sd",
                    model.Console.Device,
                    model.Console.Speed,
                    model.MemoryMiB is [var least, ..] ? least : null,
                    revision.Compatible is { } name ? [name] : [],
                    model.Banner ?? "",
                    model.FirstLoader,
                    MediumIsGuess: model.BootMedia.Count == 0
                )
            : new Problem(
                $"{model.Name} has the revisions {string.Join(", ", model.Revisions.Select(r => r.Id))}.",
                $"{revisionId} is not one of them.",
                "Look at the mark on the board."
            );

    private static Problem Wrong(string file, string why) =>
        new(
            $"{file} should be a board profile: architecture (arm64, armhf, riscv64, amd64), loader ({string.Join(", ", Loaders)}), bootMedium ({string.Join(", ", Media)}), consoleDevice, consoleSpeed, memoryMiB, compatible, firmware.",
            $"In it {why}.".Replace("..", ".", StringComparison.Ordinal),
            "Correct the file; docs/formats shows one."
        );
}
