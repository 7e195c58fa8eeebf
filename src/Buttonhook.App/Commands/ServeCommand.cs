using System.CommandLine;
using System.Reflection;
using Buttonhook.Core;
using Buttonhook.Storage;
using static Buttonhook.App.Commands.Terminal;

namespace Buttonhook.App.Commands;

/// <summary>serve and demo: the web application until it is stopped.</summary>
internal static class ServeCommand
{
    /// <summary>Serves one's own bench.</summary>
    public static Command Serve() => Make("serve", "Serve with your own data.", demo: false);

    /// <summary>Serves the demo bench, beside one's own.</summary>
    public static Command Demo() => Make("demo", "Serve with the demo bench.", demo: true);

    private static Command Make(string name, string description, bool demo)
    {
        var urls = new Option<string>("--urls")
        {
            Description = "Loopback address to serve at.",
            DefaultValueFactory = _ => BenchOptions.UsualUrl,
        };
        var pace = new Option<double>("--pace")
        {
            Description = "How many times faster than real simulated boards run.",
            DefaultValueFactory = _ => 1,
        };
        var devices = new Option<bool>("--card-devices")
        {
            Description = "Let real removable devices of this computer be written. Writing erases them.",
        };
        var ports = new Option<string>("--devices")
        {
            Description = "Where the serial ports of this computer are.",
            DefaultValueFactory = _ => "/dev",
        };
        var share = new Option<ShareMode>("--share")
        {
            Description = "tls or plain: reach it from other devices too, with the access key that is printed.",
        };
        var sharePort = new Option<int>("--share-port") { Description = "The port for other devices.", DefaultValueFactory = _ => 5191 };
        var command = new Command(name, description) { CommandOptions.Data, urls, pace, devices, ports, share, sharePort };
        command.SetAction(
            (parse, _) =>
                Run(
                    new(
                        parse.GetValue(CommandOptions.Data)
                            ?? (demo ? Path.Combine(BenchOptions.UsualFolder, "demo") : BenchOptions.UsualFolder),
                        parse.GetValue(urls)!,
                        demo,
                        parse.GetValue(pace),
                        parse.GetValue(devices),
                        parse.GetValue(ports)!,
                        parse.GetValue(share),
                        parse.GetValue(sharePort)
                    )
                )
        );
        return command;
    }

    /// <summary>Whether the OpenAPI tool started the program: it gives arguments of its own and takes the application before it runs.</summary>
    public static bool IsOpenApiTool => Assembly.GetEntryAssembly()?.GetName().Name == "GetDocument.Insider";

    /// <summary>Builds the application over an empty folder that is gone afterwards.</summary>
    public static Task<int> ForOpenApiTool()
    {
        var scratch = Directory.CreateTempSubdirectory("buttonhook-openapi-").FullName;
        AppDomain.CurrentDomain.ProcessExit += (_, _) => Directory.Delete(scratch, recursive: true);
        return Run(new(scratch, BenchOptions.UsualUrl, false));
    }

    private static async Task<int> Run(BenchOptions options)
    {
        if (Security.EndPoint(options.Url).Problem is { } wrong)
            return Say(wrong, Wrong);
        if (options.SharePort is < 1 or > 65535)
            return Say(new Problem("--share-port should be 1 to 65535.", $"It is {options.SharePort}.", "Leave it out for 5191."), Wrong);
        if (options.Pace is < 0.1 or > 1000)
            return Say(new Problem("--pace should be 0.1 to 1000.", $"It is {options.Pace}.", "Leave it out for real time."), Wrong);
        var held = HeldBench.Open(options.DataFolder, options.Demo || IsOpenApiTool);
        if (held.Value is null)
            return Say(held.Problem!, Failed);
        using var bench = held.Value;
        try
        {
            Scratch.Begin(options.DataFolder);
            return await Served(options, bench.Database, bench.Known);
        }
        catch (OperationCanceledException)
        {
            // It was stopped while it started.
            return 0;
        }
        catch (Exception e) when (FullDisk.Is(e))
        {
            return Say(
                new Problem(
                    $"There should be room on the disk of {options.DataFolder}.",
                    "It is full.",
                    "Make room and start again; what was stored before is kept."
                ),
                Failed
            );
        }
    }

    private static async Task<int> Served(BenchOptions options, Database database, KnowledgeFiles known)
    {
        await using var app = BenchApp.Build(options, database, known);
        if (options.Demo)
        {
            DataFolder.MarkDemo(options.DataFolder);
            App.Demo.Fill(known, database, TimeProvider.System);
        }
        else
            App.Demo.Adopt(database, known, TimeProvider.System);
        if (!IsOpenApiTool)
            app.Lifetime.ApplicationStarted.Register(() =>
            {
                var url = app.Urls.FirstOrDefault() ?? options.Url;
                DataFolder.TellAddress(options.DataFolder, url);
                Console.WriteLine($"Buttonhook is at {url}");
                if (app.Services.GetService<Sharing>()?.View() is not { } shared)
                    return;
                Console.WriteLine($"For other devices: {shared.Url.Split('?')[0]}");
                Console.WriteLine($"  access key  {string.Join('-', shared.Key.Chunk(4).Select(c => new string(c)))}");
                if (shared.Fingerprint is { } print)
                    Console.WriteLine($"  certificate SHA-256  {print}");
                Console.WriteLine($"  {shared.Says}");
            });
        try
        {
            await app.RunAsync();
            return 0;
        }
        catch (IOException e)
        {
            return Say(
                new Problem(
                    options.Share == ShareMode.Off
                        ? $"{options.Url} should be free."
                        : $"{options.Url} and port {options.SharePort} should be free.",
                    (e.InnerException?.Message ?? e.Message) + ".",
                    "End the other program, or use another port with --urls."
                ),
                Failed
            );
        }
    }
}
