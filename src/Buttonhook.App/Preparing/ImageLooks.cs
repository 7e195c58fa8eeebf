using System.Collections.Concurrent;
using Buttonhook.App.Images;
using Buttonhook.Core;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Core.Preparing;

namespace Buttonhook.App.Preparing;

/// <summary>An image as Prepare sees it: its configuration files, and its boot played on the board.</summary>
/// <param name="RootFixes">Files of the root file system that the dry boot wants changed: their texts now and then.</param>
public sealed record ImageLook(string Path, BootTexts? Texts, DryBoot? Dry, IReadOnlyList<RenderedFile> RootFixes, Problem? Problem);

/// <summary>Looks into images for Prepare; each image and board is looked at once, until the file changes.</summary>
public sealed class ImageLooks(KnowledgeFiles knowledge, Unpacked unpacked)
{
    private readonly ConcurrentDictionary<(string, long, DateTime, string), Task<ImageLook>> looks = new();

    /// <summary>The look when it is there; null while it goes on in the background.</summary>
    public ImageLook? Now(string path, DryBoard? board)
    {
        var task = Look(path, board);
        return task.Wait(TimeSpan.FromMilliseconds(1500)) ? task.Result : null;
    }

    /// <summary>The dry boot when the image was looked into on this board; null while nobody did, and then it is begun in the background.</summary>
    public DryBoot? Known(string path, DryBoard board)
    {
        var task = Look(path, board);
        return task.IsCompletedSuccessfully ? task.Result.Dry : null;
    }

    /// <summary>The look, waited for; without a board of which the processor is known, its files are read and no boot is played.</summary>
    public Task<ImageLook> Look(string path, DryBoard? board)
    {
        var file = new FileInfo(path);
        return looks.GetOrAdd(
            (path, file.Length, file.LastWriteTimeUtc, System.Text.Json.JsonSerializer.Serialize(board)),
            _ => Task.Run(() => TakeInTurn(path, board))
        );
    }

    /// <summary>Two at a time: a shelf full of images should not take the whole machine.</summary>
    private readonly SemaphoreSlim turns = new(2);

    private async Task<ImageLook> TakeInTurn(string path, DryBoard? board)
    {
        await turns.WaitAsync();
        try
        {
            return Take(path, board);
        }
        finally
        {
            turns.Release();
        }
    }

    private ImageLook Take(string path, DryBoard? board)
    {
        try
        {
            BootTexts? texts = null;
            Problem? problem = null;
            IReadOnlyList<RenderedFile> fixes = [];
            var found = ImageFiles.Inspect(
                path,
                board,
                knowledge.Signs,
                null,
                CancellationToken.None,
                look: (bytes, inspection) =>
                {
                    var read = BootTexts.Of(bytes);
                    (texts, problem) = (read.Value, read.Problem);
                    fixes = texts is null ? [] : Fixes(bytes, texts, inspection.DryBoot);
                },
                kept: unpacked
            );
            return new(path, texts, found.Value?.DryBoot, fixes, found.Problem ?? (found.Value?.DryBoot is null ? problem : null));
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return new(path, null, null, [], new("The image should be readable.", e.Message, "Look at the file."));
        }
    }

    private static List<RenderedFile> Fixes(ImageBytes bytes, BootTexts texts, DryBoot? dry)
    {
        var list = new List<RenderedFile>();
        if (texts.RootPartition is not { } root || FileTree.Open(bytes.Slice(root.StartBytes, root.LengthBytes)).Tree is not { } tree)
            return list;
        foreach (var edit in dry?.Broken.Select(c => c.Edit).OfType<FileEdit>() ?? [])
            if (
                edit.Partition == root.Number
                && !texts.Texts.Boot.ContainsKey(edit.Path)
                && tree.Read(edit.Path, 1 << 20) is { } content
                && System.Text.Encoding.UTF8.GetString(content) is var before
                && edit.Apply(before) is { } after
            )
                list.Add(new(FilePlace.Root, edit.Path, before, after, "0644"));
        return list;
    }
}
