using Buttonhook.App.Preparing;
using Buttonhook.Core;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>A wireless network as a person gives it.</summary>
/// <param name="Password">Null keeps the key that is stored.</param>
public sealed record WirelessInput(string Name, string? Password, string Country);

/// <summary>What a person sets before the first boot.</summary>
/// <param name="Password">Null keeps the one that is stored, empty takes it away.</param>
/// <param name="Recipes">Ids of recipes.</param>
/// <param name="Version">The version that this was made from; when another one is stored meanwhile, nothing is stored. Null overwrites whatever is there.</param>
public sealed record FirstBootInput(
    string? HostName,
    string? User,
    string? Password,
    IReadOnlyList<string> Keys,
    bool RemoteLogin,
    WirelessInput? Wireless,
    string? Locale,
    string? TimeZone,
    string? Keyboard,
    FixedAddress? Address,
    bool UsbNetwork,
    string? VideoMode,
    bool ConsoleOn,
    IReadOnlyList<string> Overlays,
    IReadOnlyList<string> Lines,
    IReadOnlyList<string> Packages,
    IReadOnlyList<string> Commands,
    IReadOnlyList<string> Recipes,
    int? Version = null
);

/// <summary>What is set before the first boot: stored, or only shown as the files that it would make.</summary>
public static class FirstBootEndpoints
{
    /// <summary>Stands in a preview for a password that was typed: it is hashed only when it is set.</summary>
    private const string TypedPassword = "$6$typed";

    /// <summary>Adds the routes.</summary>
    public static void MapFirstBoot(this RouteGroupBuilder api)
    {
        api.MapPut("/boards/{id}/first-boot", Set).Produces<Preparation>();
        api.MapPost("/boards/{id}/first-boot/preview", Preview).Produces<FirstBootPreview>();
    }

    private static Answer<FirstBoot> Settings(FirstBootInput input, FirstBoot old, Func<string, string> crypt)
    {
        WirelessNetwork? wireless = null;
        if (input.Wireless is { } radio)
        {
            if (radio.Password is null && old.Wireless is { } kept && kept.Name == radio.Name)
                wireless = kept with { Country = radio.Country };
            else
            {
                var key = Passwords.WirelessKey(radio.Name, radio.Password ?? "");
                if (key.Value is null)
                    return key.Problem!;
                wireless = new(radio.Name, key.Value, radio.Country);
            }
        }
        static string? Text(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
        static List<string> Texts(IReadOnlyList<string> texts) => [.. texts.Select(t => t.Trim()).Where(t => t.Length > 0)];
        // A password stands and falls with its user.
        var hash =
            string.IsNullOrWhiteSpace(input.User) ? null
            : input.Password is null ? old.PasswordHash
            : input.Password.Length == 0 ? null
            : crypt(input.Password);
        return new FirstBoot(
            Text(input.HostName),
            Text(input.User),
            hash,
            Texts(input.Keys),
            input.RemoteLogin,
            wireless,
            Text(input.Locale),
            Text(input.TimeZone),
            Text(input.Keyboard),
            input.Address,
            input.UsbNetwork,
            Text(input.VideoMode),
            input.ConsoleOn,
            Texts(input.Overlays),
            Texts(input.Lines),
            Texts(input.Packages),
            Texts(input.Commands)
        );
    }

    private static IResult Set(
        string id,
        FirstBootInput input,
        BoardStore boards,
        PreparationStore store,
        PreparationViews views,
        KnowledgeFiles knowledge
    )
    {
        if (boards.Find(id) is null)
            return Problems.Missing("This board");
        var (old, _, now) = store.Of(id);
        var settings = Settings(input, old, Passwords.Crypt);
        if (settings.Value is not { } set)
            return settings.Problem!.Answer();
        if (FirstBootCheck.Of(set, store.HostNames(id), knowledge.Names, store.Addresses(id)) is [var wrong, ..])
            return new Problem(
                "What is set before the first boot should be right.",
                wrong.Text,
                "Correct it; nothing was changed."
            ).Answer();
        return store.Set(id, set, [.. input.Recipes.Distinct()], input.Version ?? now)
            ? Results.Ok(views.Of(id, null))
            : new Problem(
                "What is set should be made from what stands there now.",
                "It was changed elsewhere meanwhile, in another window perhaps.",
                "Look at what changed, and set it again; nothing was overwritten."
            ).Answer(StatusCodes.Status412PreconditionFailed);
    }

    /// <summary>Nothing is stored; what is not right yet is told beside the files.</summary>
    private static IResult Preview(string id, FirstBootInput input, BoardStore boards, PreparationStore store, PreparationViews views)
    {
        if (boards.Find(id) is not { } bench)
            return Problems.Missing("This board");
        var (old, _, _) = store.Of(id);
        var settings = Settings(input, old, _ => TypedPassword);
        if (settings.Value is { } set)
            return Results.Ok(views.Preview(bench, set, [.. input.Recipes.Distinct()]));
        // A network key that is still being typed holds nothing else up.
        var rest = Settings(input with { Wireless = null }, old, _ => TypedPassword).Value!;
        var preview = views.Preview(bench, rest, [.. input.Recipes.Distinct()]);
        return Results.Ok(preview with { Problems = [new("wireless", settings.Problem!.Came), .. preview.Problems] });
    }
}
