using System.CommandLine;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Hardware;
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
        command.SetAction((parse, token) => Diagnose(parse.GetValue(log)!, parse.GetValue(CommandOptions.Json), token));
        return command;
    }

    private static async Task<int> Diagnose(string path, bool asJson, CancellationToken token)
    {
        byte[] bytes;
        try
        {
            if (path == "-")
            {
                using var memory = new MemoryStream();
                await Console.OpenStandardInput().CopyToAsync(memory, token);
                bytes = memory.ToArray();
            }
            else
            {
                if (FileKinds.Of(path).Kind == FileKind.Regular && new FileInfo(path).Length is > Consoles.LogFiles.Largest and var length)
                    return Say(Consoles.LogFiles.TooLarge(length, Consoles.LogFiles.Largest), Failed);
                var read = InputFiles.Bytes(path, "LOG", Consoles.LogFiles.Largest);
                if (read.Value is null)
                    return Say(read.Problem!, Failed);
                bytes = read.Value;
            }
        }
        catch (IOException e)
        {
            return Say(new Problem("LOG should be readable.", e.Message, "Look at what is piped in."), Failed);
        }
        if (Consoles.LogFiles.OtherKind(bytes) is { } kind)
            return Say(
                new Problem("LOG should be text as a serial port gives it.", $"{path} is {kind}.", "Unpack it, or choose the log itself."),
                Failed
            );
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return Say(knowledge.Problem!, Failed);
        var (_, diagnosis) = LogDiagnosis.Of(bytes, known.Rules);
        Console.WriteLine(asJson ? JsonSerializer.Serialize(diagnosis, Indented) : DiagnosisText.Of(diagnosis));
        return 0;
    }
}
