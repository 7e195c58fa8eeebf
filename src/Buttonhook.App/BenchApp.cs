using System.Text.Json;
using System.Text.Json.Serialization;
using Buttonhook.App.Consoles;
using Buttonhook.App.Endpoints;
using Buttonhook.Core;
using Buttonhook.Storage;
using Microsoft.AspNetCore.Diagnostics;

namespace Buttonhook.App;

/// <summary>Puts the application together.</summary>
public static class BenchApp
{
    /// <summary>A stop stores what waits and is over within a second.</summary>
    private static readonly TimeSpan StopWithin = TimeSpan.FromMilliseconds(900);

    /// <summary>A ready application on a database and data files; nothing runs until it is started.</summary>
    /// <param name="ownSignals">Whether Ctrl+C and SIGTERM end it by themselves; else who started it ends it.</param>
    public static WebApplication Build(BenchOptions options, Database database, KnowledgeFiles knowledge, bool ownSignals = true)
    {
        Preparing.SimulatedSlots.Fill(database);
        new EditStore(database).Trim();
        var builder = WebApplication.CreateBuilder(
            new WebApplicationOptions
            {
                ContentRootPath = AppContext.BaseDirectory,
                WebRootPath = Path.Combine(AppContext.BaseDirectory, "wwwroot"),
            }
        );
        // What is listened on is what was checked: nothing from the environment or from files beside the program has a say.
        builder.Configuration.Sources.Clear();
        var sharing = Sharing.Of(options);
        if (sharing is not null)
            builder.Services.AddSingleton(sharing);
        builder.WebHost.ConfigureKestrel(k =>
        {
            k.Limits.MaxRequestBodySize = 4L << 20;
            k.Listen(Security.EndPoint(options.Url).Value ?? throw new ArgumentException(options.Url, nameof(options)));
            if (sharing is not null)
                k.ListenAnyIP(
                    sharing.Port,
                    listen =>
                    {
                        if (sharing.Certificate is { } certificate)
                            listen.UseHttps(certificate);
                    }
                );
        });
        builder.Services.Configure<HostOptions>(h =>
        {
            h.ShutdownTimeout = StopWithin;
            h.ServicesStopConcurrently = true;
        });
        builder
            .Logging.ClearProviders()
            .AddSimpleConsole(c => c.SingleLine = true)
            .SetMinimumLevel(LogLevel.Warning)
            .AddFilter("Microsoft.AspNetCore.Diagnostics", LogLevel.None)
            .AddFilter("Microsoft.Extensions.Hosting", LogLevel.None);
        if (!ownSignals)
            builder.Services.AddSingleton<IHostLifetime, EndedByItsStarter>();
        SpeakJson(builder.Services);
        AddServices(builder.Services, options, database, knowledge);

        var app = builder.Build();
        app.UseExceptionHandler(error => error.Run(Unexpected));
        app.UseBenchSecurity();
        app.Use(Act);
        app.UsePackedAssets();
        app.MapHub<BenchHub>("/hub");
        MapApi(app.MapGroup("/api"));
        app.MapFallbackToFile("index.html", PackedAssets.AskedAgain);
        return app;
    }

    /// <summary>Takes no signals.</summary>
    private sealed class EndedByItsStarter : IHostLifetime
    {
        public Task WaitForStartAsync(CancellationToken cancellationToken) => Task.CompletedTask;

        public Task StopAsync(CancellationToken cancellationToken) => Task.CompletedTask;
    }

    private static void SpeakJson(IServiceCollection services)
    {
        services.ConfigureHttpJsonOptions(json =>
        {
            json.SerializerOptions.NumberHandling = JsonNumberHandling.Strict;
            // What the contract calls required is there, and null only where it may be.
            json.SerializerOptions.RespectRequiredConstructorParameters = true;
            json.SerializerOptions.RespectNullableAnnotations = true;
            json.SerializerOptions.Converters.Add(new JsonStringEnumConverter(JsonNamingPolicy.KebabCaseLower));
            json.SerializerOptions.TypeInfoResolverChain.Insert(
                0,
                new System.Text.Json.Serialization.Metadata.DefaultJsonTypeInfoResolver { Modifiers = { WholeBodies.Demand } }
            );
        });
        services.Configure<RouteHandlerOptions>(o => o.ThrowOnBadRequest = true);
        services.AddOpenApi();
        // As in the contract: a page that opens a port is told parity and flow in the standard's own words.
        services
            .AddSignalR()
            .AddJsonProtocol(j => j.PayloadSerializerOptions.Converters.Add(new JsonStringEnumConverter(JsonNamingPolicy.KebabCaseLower)));
    }

    private static void AddServices(IServiceCollection services, BenchOptions options, Database database, KnowledgeFiles knowledge)
    {
        services.AddSingleton(options);
        services.AddSingleton(TimeProvider.System);
        services.AddSingleton(database);
        services.AddSingleton(knowledge);
        services.AddTransient(s => s.GetRequiredService<Profiles>().Catalogue);
        services.AddSingleton<Diagnosing.RuleBooks>();
        services.AddTransient(s => s.GetRequiredService<Diagnosing.RuleBooks>().Current);
        services.AddSingleton<Profiles>();
        services.AddSingleton<ProfileStore>();
        services.AddSingleton<PartStore>();
        services.AddSingleton<Images.Inspections>();
        services.AddSingleton<Boards.Imports>();
        services.AddSingleton<Images.Uploads>();
        services.AddSingleton<PreparationStore>();
        services.AddSingleton<Preparing.CardSlots>();
        services.AddSingleton<Preparing.StandInImages>();
        services.AddSingleton<Images.Unpacked>();
        services.AddSingleton<Preparing.ImageLooks>();
        services.AddSingleton<Preparing.Preparations>();
        services.AddTransient<Preparing.PreparationViews>();
        services.AddSingleton<Preparing.CardStarts>();
        services.AddSingleton<Preparing.CardAssembly>();
        services.AddSingleton<Preparing.CardWriteSteps>();
        services.AddSingleton<Preparing.CardWriter>();
        services.AddHostedService(s => s.GetRequiredService<Preparing.CardWriter>());
        services.AddSingleton<BoardStore>();
        services.AddSingleton<BootStore>();
        services.AddSingleton<SettingsStore>();
        services.AddTransient<Keeping.Runs>();
        services.AddTransient<Keeping.SetAgain>();
        services.AddTransient<Keeping.Batches>();
        services.AddTransient<Keeping.Moves>();
        services.AddTransient<Keeping.Experiences>();
        services.AddTransient<Keeping.PracticePlays>();
        services.AddTransient<Keeping.Practices>();
        services.AddSingleton<MoveStore>();
        services.AddSingleton<BatchStore>();
        services.AddSingleton<PracticeStore>();
        services.AddSingleton<RemovalStore>();
        services.AddSingleton<EditStore>();
        services.AddSingleton<PhotoStore>();
        services.AddSingleton<FolderStore>();
        services.AddSingleton<NamedPaths>();
        services.AddSingleton<Images.Downloads>();
        services.AddSingleton<Removals>();
        services.AddSingleton<SimulatedTerminals>();
        services.AddSingleton<SimulatedBridges>();
        services.AddSingleton<Sources>();
        services.AddSingleton<SequenceStore>();
        services.AddSingleton<LogWords>();
        services.AddSingleton<LogSearch>();
        services.AddHostedService(s => s.GetRequiredService<LogSearch>());
        services.AddSingleton<PortWatch>();
        services.AddHostedService(s => s.GetRequiredService<PortWatch>());
        services.AddSingleton<Captures>();
        services.AddSingleton<Asking.Rounds>();
        services.AddTransient<Matching.BoardMatches>();
        services.AddTransient<Keeping.Fixes>();
        services.AddTransient<Diagnosing.Judgements>();
        services.AddTransient<Diagnosing.BeforeLog>();
        services.AddTransient<GoodBootsLike>();
        services.AddTransient<SimulatedBoots>();
        services.AddTransient<BootViews>();
        services.AddTransient<Boards.Standings>();
        services.AddTransient<Boards.BoardViews>();
        services.AddSingleton(s => new Shared<IReadOnlyList<Boards.BoardSummary>>(() => s.GetRequiredService<Boards.BoardViews>().Bench()));
        services.AddHostedService(s => s.GetRequiredService<Captures>());
    }

    private static void MapApi(RouteGroupBuilder api)
    {
        api.MapBoards();
        api.MapProfiles();
        api.MapImports();
        api.MapFacts();
        api.MapParts();
        api.MapMatching();
        api.MapPreparing();
        api.MapFirstBoot();
        api.MapBoots();
        api.MapConsoles();
        api.MapLines();
        api.MapLogs();
        api.MapDiagnosing();
        api.MapAsking();
        api.MapRules();
        api.MapTriage();
        api.MapKeeping();
        api.MapFirstLogin();
        api.MapMoving();
        api.MapBatches();
        api.MapStatistics();
        api.MapPractice();
        api.MapBackup();
        api.MapImages();
        api.MapShelves();
        api.MapRemovals();
        api.MapEdits();
        api.MapPhotos();
        api.MapGet(
                "/share",
                (HttpContext context) =>
                    context.RequestServices.GetService<Sharing>() is { } sharing && !sharing.Is(context)
                        ? Results.Ok(sharing.View())
                        : Results.NoContent()
            )
            .Produces<ShareView>()
            .Produces(StatusCodes.Status204NoContent);
        api.MapFallback(() => Problems.Missing("What was asked for")).ExcludeFromDescription();
    }

    /// <summary>All that a request changes is one edit, taken back in one go.</summary>
    private static async Task Act(HttpContext context, RequestDelegate next)
    {
        using var acting = HttpMethods.IsGet(context.Request.Method) ? null : EditScope.Begin(TimeProvider.System.GetUtcNow());
        await next(context);
    }

    private static async Task Unexpected(HttpContext context)
    {
        var error = context.Features.Get<IExceptionHandlerFeature>()?.Error;
        var (problem, status) = error switch
        {
            BadHttpRequestException { StatusCode: StatusCodes.Status413PayloadTooLarge } => (
                new Problem("A request may have up to 4 MiB here.", "This one is larger.", "Drop logs on the boot page instead."),
                StatusCodes.Status413PayloadTooLarge
            ),
            BadHttpRequestException bad => (
                new Problem(
                    "The request should have the form that the contract (openapi.json) gives it.",
                    bad.Message,
                    "Reload the page and try again."
                ),
                bad.StatusCode
            ),
            Microsoft.Data.Sqlite.SqliteException { SqliteErrorCode: 5 or 15 } => (
                new Problem(
                    "The data file should answer within ten seconds.",
                    "It does not: the disk is busy, or another program holds the file.",
                    "Try again in a moment; nothing was lost."
                ),
                StatusCodes.Status503ServiceUnavailable
            ),
            DamagedLogException damaged => (
                new Problem(
                    "The whole log of this boot should be readable.",
                    $"The data file is damaged: {damaged.ReadableBytes} bytes of it can be read, some behind byte {damaged.DamagedFrom} cannot.",
                    "Other logs are not harmed. Restore buttonhook.db from a copy, or go on with what the boot page still shows."
                ),
                StatusCodes.Status500InternalServerError
            ),
            not null when FullDisk.Is(error) => (
                new Problem("There should be room on the disk.", "It is full.", "Make room and try again; what was stored before is kept."),
                StatusCodes.Status507InsufficientStorage
            ),
            _ => (
                new Problem(
                    "This should have worked.",
                    "Something went wrong inside Buttonhook.",
                    "What was stored before is kept; try again, and look at the terminal where it was started."
                ),
                StatusCodes.Status500InternalServerError
            ),
        };
        if (status == StatusCodes.Status500InternalServerError)
            context
                .RequestServices.GetRequiredService<ILoggerFactory>()
                .CreateLogger("Buttonhook")
                .LogError(error, "{Path} failed", context.Request.Path);
        await problem.Answer(status).ExecuteAsync(context);
    }
}
