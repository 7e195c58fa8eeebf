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
        var listened = new Option<double?>("--listened")
        {
            Description = "How long the console was listened to behind its last byte, where the log does not say it.",
            HelpName = "SECONDS",
        };
        var command = new Command("diagnose", "Tell why a boot failed from its console log.") { log, listened, CommandOptions.Json };
        command.SetAction(parse => Diagnose(parse.GetValue(log)!, parse.GetValue(listened), parse.GetValue(CommandOptions.Json)));
        return command;
    }

    private const double LongestListened = 1_000_000;

    private static int Diagnose(string path, double? listened, bool asJson)
    {
        if (listened is not null and not (>= 0 and <= LongestListened))
            return Say(
                new Problem(
                    $"--listened should be seconds from 0 to {LongestListened:0}.",
                    $"It is {listened}.",
                    "Say how long nothing came behind the last line; leave it out when nobody knows."
                ),
                Failed
            );
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
                var reader = LogDiagnosis.Read(log, book);
                if (listened is { } seconds)
                    reader.Ending = new(CaptureEnd.Person, (int)(seconds * 1000));
                var (_, diagnosis) = reader.Diagnose();
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
