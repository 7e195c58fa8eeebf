using System.CommandLine;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;
using static Buttonhook.App.Commands.Terminal;

namespace Buttonhook.App.Commands;

/// <summary>diagnose: why a boot failed, from its console log.</summary>
internal static class DiagnoseCommand
{
    /// <summary>The command.</summary>
    public static Command Make()
    {
        var log = new Argument<string>("LOG") { Description = "A console log, or - for standard input." };
        var command = new Command("diagnose", "Tell why a boot failed from its console log.") { log, CommandOptions.Json };
        command.SetAction(parse => Diagnose(parse.GetValue(log)!, parse.GetValue(CommandOptions.Json)));
        return command;
    }

    private static int Diagnose(string path, bool asJson)
    {
        var opened = Consoles.LogFiles.Open(path, "LOG");
        if (opened.Value is not { } log)
            return Say(opened.Problem!, Failed);
        using (log)
        {
            var rules = KnowledgeFiles.ReadRules();
            if (rules.Value is not { } book)
                return Say(rules.Problem!, Failed);
            try
            {
                var (_, diagnosis) = LogDiagnosis.Read(log, book).Diagnose();
                Console.WriteLine(asJson ? JsonSerializer.Serialize(diagnosis, Indented) : DiagnosisText.Of(diagnosis));
            }
            catch (IOException e)
            {
                return Say(new Problem("LOG should be readable to its end.", e.Message, "Look at the medium that it lies on."), Failed);
            }
            return 0;
        }
    }
}
