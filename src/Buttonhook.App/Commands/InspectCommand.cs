using System.CommandLine;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using static Buttonhook.App.Commands.Terminal;

namespace Buttonhook.App.Commands;

/// <summary>inspect: what is in an image and whether it boots on a board.</summary>
internal static class InspectCommand
{
    private sealed record Order(string Path, string? Board, string? Sum, string? Mend, bool Json, string? Folder);

    /// <summary>The command.</summary>
    public static Command Make()
    {
        var image = new Argument<string>("IMAGE") { Description = "An image, raw or packed as gz, xz, zst, bz2, zip or 7z." };
        var board = new Option<string?>("--board") { Description = "Board to dry-boot it on: an id of the catalogue, or a JSON file." };
        var sum = new Option<string?>("--sum") { Description = "SHA-256 that the download should have, or a file of sums." };
        var mend = new Option<string?>("--mend")
        {
            Description = "Write a copy in which every line is changed that the dry boot names, and look into that.",
        };
        var command = new Command("inspect", "Look into an image and tell whether it boots.")
        {
            image,
            board,
            sum,
            mend,
            CommandOptions.Json,
            CommandOptions.Data,
        };
        command.SetAction(
            (parse, token) =>
                Task.FromResult(
                    Inspect(
                        new(
                            parse.GetValue(image)!,
                            parse.GetValue(board),
                            parse.GetValue(sum),
                            parse.GetValue(mend),
                            parse.GetValue(CommandOptions.Json),
                            parse.GetValue(CommandOptions.Data)
                        ),
                        token
                    )
                )
        );
        return command;
    }

    private static Answer<DryBoard> Board(string word, string? folder)
    {
        if (Images.DryBoards.IsMinimal(word))
            return Images.DryBoards.Minimal(word);
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return knowledge.Problem!;
        var catalogue = OwnProfiles.CatalogueOf(known, folder);
        if (catalogue.Value is not { } all)
            return catalogue.Problem!;
        // A board of the bench is called by its id or its nickname, as everywhere.
        return OwnProfiles.BoardOf(folder, word) is { } bench
            ? Images.DryBoards.Of(bench, all)
            : Images.DryBoards.Find(word, all, known.Schemas);
    }

    private static int Inspect(Order order, CancellationToken token)
    {
        // What first loaders look like is read and checked while the image is looked into.
        var signs = Task.Run(() => KnowledgeFiles.ReadSigns());
        IReadOnlyList<FoundLoader> firstLoaders = [];
        DryBoard? board = null;
        if (order.Board is { } word)
        {
            var named = Board(word, order.Folder);
            if (named.Value is null)
                return Say(named.Problem!, Wrong);
            board = named.Value;
        }
        if (order.Mend is not null && board is null)
            return Say(new("--mend needs a board to play the boot on.", "None is named.", "Name one with --board."), Wrong);
        Answer<Inspection> Look(string at, string? published) =>
            Images.ImageFiles.Inspect(
                at,
                board,
                [],
                published,
                token,
                look: (image, _) => firstLoaders = FirstLoaders.Find(image, signs.Result.Value ?? [])
            );
        var inspected = Look(order.Path, order.Sum);
        if (order.Mend is { } copy && inspected.Value?.DryBoot is { } dry)
        {
            if (Mend(order.Path, copy, dry, token) is { } unmended)
                return Say(unmended, Failed);
            inspected = Look(copy, null);
        }
        if (signs.Result.Problem is { } unreadable)
            return Say(unreadable, Failed);
        if (inspected.Value is not { } found)
        {
            // Programs get the same kind of answer for every file.
            if (order.Json)
                Console.WriteLine(JsonSerializer.Serialize(Unreadable(inspected.Problem!, board), Indented));
            return Say(inspected.Problem!, Failed);
        }
        var inspection = found with { FirstLoaders = firstLoaders };
        Console.WriteLine(order.Json ? JsonSerializer.Serialize(inspection, Indented) : Images.InspectionText.Of(inspection));
        return 0;
    }

    private static Problem? Mend(string path, string copy, DryBoot dry, CancellationToken token)
    {
        var edits = dry.Broken.Select(b => b.Edit).OfType<FileEdit>().Distinct().ToList();
        if (Images.MendedCopy.Make(path, copy, edits, DateTime.Now, token).GetAwaiter().GetResult() is { } unmended)
            return unmended;
        foreach (var edit in edits)
            Console.Error.WriteLine(
                $"buttonhook: changed p{edit.Partition}:{edit.Path}, line {edit.Line}: {edit.Before ?? "(end)"} -> {edit.After}"
            );
        return null;
    }

    private static object Unreadable(Problem problem, DryBoard? board) =>
        new
        {
            format = "buttonhook.inspection/1",
            nature = FileNature.Of(problem),
            dryBoot = board is null ? null : DryBoot.Of(problem),
        };
}
