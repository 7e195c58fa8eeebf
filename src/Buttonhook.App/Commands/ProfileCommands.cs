using System.CommandLine;
using Buttonhook.Core;
using Buttonhook.Core.Identifying;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;
using static Buttonhook.App.Commands.Terminal;

namespace Buttonhook.App.Commands;

/// <summary>profiles (once called cards): draft, check, import, export, and from.</summary>
internal static class ProfileCommands
{
    /// <summary>The command with all below it.</summary>
    public static Command Make()
    {
        var command = new Command(
            "profiles",
            "Draft, check, import and export profiles of boards and images, and read them from device trees."
        )
        {
            Draft(),
            Check(),
            Import(),
            Export(),
            From(),
        };
        command.Aliases.Add("cards");
        return command;
    }

    private static Argument<string> File() => new("FILE") { Description = "Profiles as YAML documents." };

    private static Command Draft()
    {
        var command = new Command("draft", "Draft a board profile from a device tree, a log or text.")
        {
            CommandOptions.Mark,
            CommandOptions.Log,
            CommandOptions.Tree,
        };
        command.SetAction(parse =>
            DraftProfile(parse.GetValue(CommandOptions.Mark), parse.GetValue(CommandOptions.Log), parse.GetValue(CommandOptions.Tree))
        );
        return command;
    }

    private static Command Check()
    {
        var file = File();
        var command = new Command("check", "Check a file of profiles.") { file };
        command.SetAction(parse => CheckProfiles(parse.GetValue(file)!));
        return command;
    }

    private static Command Import()
    {
        var file = File();
        var command = new Command("import", "Add a file of profiles to your own.") { file, CommandOptions.Data };
        command.SetAction(parse => ImportProfiles(parse.GetValue(file)!, parse.GetValue(CommandOptions.Data)));
        return command;
    }

    private static Command Export()
    {
        var ids = new Argument<string[]>("ID")
        {
            Description = "Ids of profiles; none for all that you added.",
            Arity = ArgumentArity.ZeroOrMore,
        };
        var command = new Command("export", "Print profiles as YAML.") { ids, CommandOptions.Data };
        command.SetAction(parse => ExportProfiles(parse.GetValue(ids) ?? [], parse.GetValue(CommandOptions.Data)));
        return command;
    }

    private static Command From()
    {
        var sources = new Argument<string[]>("SOURCE")
        {
            Description = "Images packed or not, device trees, folders, Debian packages, archives.",
            Arity = ArgumentArity.OneOrMore,
        };
        var overlays = new Option<string[]>("--overlay") { Description = "An overlay (.dtbo) to lay over each tree; may be given again." };
        var command = new Command("from", "Tell what device trees say about their boards.") { sources, overlays, CommandOptions.Json };
        command.SetAction(
            (parse, token) =>
                Task.FromResult(
                    TreeProfiles.Print(parse.GetValue(sources)!, parse.GetValue(overlays) ?? [], parse.GetValue(CommandOptions.Json), token)
                )
        );
        return command;
    }

    private static int DraftProfile(string? mark, string? log, string? tree)
    {
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return Say(knowledge.Problem!, Failed);
        var clues = GivenClues.Of(mark, null, log, tree, []);
        if (clues.Value is not { } given)
            return Say(clues.Problem!, Failed);
        var draft = ProfileDraft.From(given, known.Rules);
        if (draft.Value is not { } made)
            return Say(draft.Problem!, Failed);
        foreach (var fact in made.Read)
            Console.WriteLine($"# read from {fact.From}: {fact.Field} is {fact.Value}");
        foreach (var question in made.Ask)
            Console.WriteLine($"# to fill in, {question.Field}: {question.Question}");
        Console.Write(DataFile.Write(made.Card));
        return 0;
    }

    private static int CheckProfiles(string path)
    {
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return Say(knowledge.Problem!, Failed);
        var text = InputFiles.Text(path, "FILE");
        if (text.Value is null)
            return Say(text.Problem!, Failed);
        var pack = ProfilePack.Read(path, text.Value, known.Schemas);
        if (pack.Value is not { } good)
            return Say(pack.Problem!, Failed);
        Console.WriteLine(
            $"{good.Boards.Count} boards, {good.Images.Count} images, {good.Codes.Count} revision codes, {good.Experiences.Count} experiences, all in order."
        );
        return 0;
    }

    private static int ImportProfiles(string path, string? folder)
    {
        var text = InputFiles.Text(path, "FILE");
        if (text.Value is null)
            return Say(text.Problem!, Failed);
        var own = OwnProfiles.Of(folder);
        if (own.Value is not { } cards)
            return Say(own.Problem!, Failed);
        using var acting = EditScope.Begin(TimeProvider.System.GetUtcNow());
        var added = cards.Import(path, text.Value);
        if (added.Value is not { } pack)
            return Say(added.Problem!, Failed);
        Console.WriteLine(
            $"Added {pack.Boards.Count} boards, {pack.Images.Count} images, {pack.Codes.Count} revision codes, {pack.Experiences.Count} experiences."
        );
        return 0;
    }

    private static int ExportProfiles(string[] ids, string? folder)
    {
        var own = OwnProfiles.Of(folder);
        if (own.Value is not { } cards)
            return Say(own.Problem!, Failed);
        var exported = cards.Export(ids);
        if (exported.Value is not { } pack)
            return Say(exported.Problem!, Failed);
        Console.Write(pack.Write());
        return 0;
    }
}
