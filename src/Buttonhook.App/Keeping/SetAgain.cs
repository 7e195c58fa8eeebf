using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;

namespace Buttonhook.App.Keeping;

/// <summary>What was set up again, and what could not be.</summary>
public sealed record SetUp(IReadOnlyList<string> Done, IReadOnlyList<string> Left);

/// <summary>Sets the bench of a board up as a record says: image, card, supply, cable, adapter, parts, first-boot settings and recipes.</summary>
public sealed class SetAgain(
    BoardStore boards,
    PreparationStore preparations,
    Preparing.Preparations recipes,
    Catalogue catalogue,
    Database database
)
{
    /// <summary>Why a bench of a model cannot be set up as these settings say; null when it can.</summary>
    public Problem? Against(WorkingSettings settings, string modelId)
    {
        string NameOf(string id) => catalogue.Model(id)?.Name ?? id;
        return settings.Bench is not { } was
                ? new(
                    "These settings should name the parts of their bench.",
                    "They came as a short text or from an earlier Buttonhook, which does not.",
                    "Set image, card and supply by hand, as the settings say; or keep a version of a boot here."
                )
            : was.ModelId != modelId || catalogue.Model(was.ModelId) is null
                ? new(
                    $"The settings should be of a {NameOf(modelId)}.",
                    $"They are of {NameOf(was.ModelId)}.",
                    "Keep settings of a boot of this model."
                )
            : null;
    }

    /// <summary>Sets it up; what the catalogue no longer has, and what must differ on another board, is left and named.</summary>
    /// <param name="sameBoard">Whether it is the board of the record: then host name and address stay as they were.</param>
    /// <param name="hostName">The host name for this board; null keeps that of the record on the same board, and sets none on another.</param>
    /// <param name="secretsOf">The board whose password and wireless key are taken, as neither stands in a record; null for none.</param>
    public Answer<SetUp> Set(BenchBoard bench, WorkingSettings settings, bool sameBoard, string? hostName = null, string? secretsOf = null)
    {
        if (Against(settings, bench.Board.ModelId) is { } against)
            return against;
        var was = settings.Bench!;
        List<string> done = [],
            left = [];
        if (was.RevisionId != bench.Board.RevisionId)
            left.Add(
                $"The settings are of revision {was.RevisionId}, this board has {bench.Board.RevisionId}: whether the image starts there is told in Match."
            );
        T? Known<T>(T? id, bool known, string what)
            where T : class
        {
            if (id is null || known)
                return id;
            left.Add($"{what} {id} is no longer in the catalogue.");
            return null;
        }
        var wanted = was.Connected;
        var connected = wanted with
        {
            SupplyId = Known(wanted.SupplyId, catalogue.Supply(wanted.SupplyId) is not null, "The supply"),
            AdapterId = Known(wanted.AdapterId, catalogue.Adapter(wanted.AdapterId) is not null, "The adapter"),
            CableId = Known(wanted.CableId, catalogue.Cables.Any(c => c.Id == wanted.CableId), "The cable"),
            Parts = [.. (wanted.Parts ?? []).Where(p => Known(p, catalogue.Parts.Any(k => k.Id == p), "The part") is not null)],
        };
        using var unit = database.Begin();
        var saved = boards.Save(bench.Board with { Connected = connected }, bench.FaultId);
        if (saved.Problem is { } refused)
            return refused;
        done.Add("Card, supply, cable, adapter and parts are as they were.");
        if (Known(was.ImageId, catalogue.Image(was.ImageId) is not null, "The image") is { } image && image != bench.Board.ImageId)
        {
            boards.ChooseImage(bench.Board.Id, image);
            done.Add($"{catalogue.Image(image)!.Title} is chosen: its card is to be written.");
        }
        if ((was.FirstBoot ?? (hostName is null ? null : Core.Preparing.FirstBoot.Usual)) is { } first)
            FirstBoot(bench, first, was.Recipes, sameBoard, hostName, secretsOf, done, left);
        unit.Commit();
        return new SetUp(done, left);
    }

    private void FirstBoot(
        BenchBoard bench,
        FirstBoot first,
        IReadOnlyList<string> chosen,
        bool sameBoard,
        string? hostName,
        string? secretsOf,
        List<string> done,
        List<string> left
    )
    {
        var (now, _, version) = preparations.Of(bench.Board.Id);
        var secrets = secretsOf is null || secretsOf == bench.Board.Id ? now : preparations.Of(secretsOf).Set;
        var set = first with
        {
            PasswordHash = first.User is null || secrets.User != first.User ? null : secrets.PasswordHash,
            Wireless =
                first.Wireless is { } radio && secrets.Wireless is { Key.Length: > 0 } has && has.Name == radio.Name
                    ? radio with
                    {
                        Key = has.Key,
                    }
                    : null,
            HostName = hostName ?? (sameBoard ? first.HostName : null),
            // Two boards cannot have one address.
            Address = sameBoard ? first.Address : null,
        };
        if (first.Wireless is not null && set.Wireless is null)
            left.Add($"The key of {first.Wireless.Name} stands in no record: set it in Prepare.");
        if (first.User is not null && set.PasswordHash is null)
            left.Add($"The password of {first.User} stands in no record: set it in Prepare.");
        if (first.Address is { } address && set.Address is null)
            left.Add($"The address {address.Address} belongs to the other board: this one gets its own.");
        var known = recipes.Recipes().Select(r => r.Id).ToHashSet();
        foreach (var gone in chosen.Where(r => !known.Contains(r)))
            left.Add($"The recipe {gone} is not here.");
        preparations.Set(bench.Board.Id, set, [.. chosen.Where(known.Contains)], version);
        done.Add("The first-boot settings are as they were.");
    }
}
