using System.CommandLine;
using Buttonhook.Core;
using static Buttonhook.App.Commands.Terminal;

namespace Buttonhook.App.Commands;

/// <summary>The command line. Wrong usage answers one line and 2.</summary>
public static class CommandLine
{
    /// <summary>Runs one command and gives its exit code.</summary>
    public static async Task<int> Run(string[] arguments)
    {
        if (ServeCommand.IsOpenApiTool)
            return await ServeCommand.ForOpenApiTool();
        // What the build asks, once: no command for people.
        if (arguments is ["check-rules"])
            return KnowledgeFiles.Check() is { } problem ? Say(problem, Failed) : 0;
        var root = new RootCommand("Buttonhook brings boards up.")
        {
            ServeCommand.Serve(),
            ServeCommand.Demo(),
            CaptureCommand.Make(),
            AskCommand.Make(),
            DiagnoseCommand.Make(),
            CompareCommand.Make(),
            InspectCommand.Make(),
            IdentifyCommand.Make(),
            ProfileCommands.Make(),
            SettingsCommands.Make(),
            BackupCommands.MakeBackup(),
            BackupCommands.MakeRestore(),
            ForgetSecretsCommand.Make(),
        };
        var parsed = root.Parse(arguments);
        if (parsed.Errors.Count > 0 || arguments.Length == 0)
        {
            Console.Error.WriteLine(
                $"buttonhook: {(arguments.Length == 0 ? "a command is missing" : parsed.Errors[0].Message.TrimEnd('.'))}; ./buttonhook help lists them."
            );
            return Wrong;
        }
        try
        {
            return await parsed.InvokeAsync(
                new InvocationConfiguration
                {
                    EnableDefaultExceptionHandler = false,
                    // The server ends itself in order; everything else may end at once.
                    ProcessTerminationTimeout = null,
                }
            );
        }
        catch (Exception e) when (e is not OperationCanceledException)
        {
            return Say(
                new Problem(
                    "This should have worked.",
                    $"Inside Buttonhook: {e.Message}",
                    "Nothing was changed; keep the file that led here."
                ),
                Failed
            );
        }
    }
}
