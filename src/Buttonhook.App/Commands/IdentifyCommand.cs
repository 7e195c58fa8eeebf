using System.CommandLine;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Identifying;
using static Buttonhook.App.Commands.Terminal;

namespace Buttonhook.App.Commands;

/// <summary>identify: which board it is.</summary>
internal static class IdentifyCommand
{
    /// <summary>The command.</summary>
    public static Command Make()
    {
        var code = new Option<string?>("--code") { Description = "A revision code in hexadecimal." };
        var seen = new Option<string[]>("--seen") { Description = "An answer to a look, as LOOK=ANSWER; may be repeated." };
        var command = new Command("identify", "Tell which board it is.")
        {
            CommandOptions.Mark,
            code,
            CommandOptions.Log,
            CommandOptions.Tree,
            seen,
            CommandOptions.Json,
            CommandOptions.Data,
        };
        command.SetAction(parse =>
            Identify(
                parse.GetValue(CommandOptions.Mark),
                parse.GetValue(code),
                parse.GetValue(CommandOptions.Log),
                parse.GetValue(CommandOptions.Tree),
                parse.GetValue(seen) ?? [],
                parse.GetValue(CommandOptions.Json),
                parse.GetValue(CommandOptions.Data)
            )
        );
        return command;
    }

    private static int Identify(string? mark, string? code, string? log, string? tree, string[] seen, bool asJson, string? folder)
    {
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return Say(knowledge.Problem!, Failed);
        var clues = GivenClues.Of(mark, code, log, tree, seen);
        if (clues.Value is not { } given)
            return Say(clues.Problem!, Failed);
        var catalogue = OwnProfiles.CatalogueOf(known, folder);
        if (catalogue.Value is not { } all)
            return Say(catalogue.Problem!, Failed);
        var told = Identification.Tell(given, all, known.Rules);
        if (told.Value is not { } identified)
            return Say(told.Problem!, Wrong);
        if (asJson)
        {
            Console.WriteLine(JsonSerializer.Serialize(identified, Indented));
            return 0;
        }
        Print(identified);
        return 0;
    }

    private static void Print(Identified identified)
    {
        foreach (var candidate in identified.Candidates)
        {
            Console.WriteLine(
                $"{candidate.Probability * 100, 3:0} %  {candidate.Name}{(candidate.MemoryMiB is { } m ? $", {Sizes.Memory(m)}" : "")}"
            );
            foreach (var reason in candidate.Reasons)
                Console.WriteLine($"       {(reason.For ? "for" : "against")}, {reason.Source}: {reason.Text}");
        }
        Console.WriteLine($"{identified.Unknown * 100, 3:0} %  a board that has no profile here");
        if (identified.Code is { } decoded)
            Console.WriteLine(
                $"Code {decoded.Code}, {decoded.Scheme}: {string.Join(", ", decoded.Parts.Select(p => $"{p.Field} {p.Means}"))}"
            );
        foreach (var contradiction in identified.Contradictions)
            Console.WriteLine($"Contradiction: {contradiction}");
        if (identified.Next is { } next)
        {
            Console.WriteLine($"Look next: {next.Where}.");
            foreach (var answer in next.Answers)
                Console.WriteLine($"       --seen \"{next.Id}={answer.Answer}\" would say {string.Join(" or ", answer.Boards)}");
        }
    }
}
