using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Identifying;
using Buttonhook.Core.Images;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App;

/// <summary>The cards that ship together with those that people added: the catalogue as it is now.</summary>
public sealed class Profiles(KnowledgeFiles knowledge, ProfileStore store, PreparationStore measured, PartStore parts, TimeProvider clock)
{
    private readonly Lock gate = new();
    private Catalogue? now;
    private ProfilePack? added;

    /// <summary>The catalogue; an added card takes the place of one that ships with the same id.</summary>
    public Catalogue Catalogue
    {
        get
        {
            lock (gate)
                return now ??= Merge(knowledge.Catalogue, Added);
        }
    }

    /// <summary>The cards that people added.</summary>
    public ProfilePack Added
    {
        get
        {
            lock (gate)
                return added ??= store.All();
        }
    }

    /// <summary>Reads a file of cards and adds them; a card that does not fit the others is a problem and adds none.</summary>
    /// <param name="against">What else may speak against taking them; null for nothing.</param>
    public Answer<ProfilePack> Import(string name, string yaml, Func<ProfilePack, Problem?>? against = null)
    {
        var read = ProfilePack.Read(name, yaml, knowledge.Schemas);
        return read.Value is not { } pack ? read
            : against?.Invoke(pack) is { } problem ? problem
            : Add(pack);
    }

    /// <summary>Adds cards that are already read.</summary>
    public Answer<ProfilePack> Add(ProfilePack pack)
    {
        if (pack.Boards.FirstOrDefault(b => b.Revisions.Select(r => r.Id).Distinct().Count() < b.Revisions.Count) is { } twice)
            return new Problem($"Every revision of {twice.Name} should have its own id.", "Two have the same one.", "Rename one of them.");
        store.Add(pack, clock.GetUtcNow());
        Changed();
        return pack;
    }

    /// <summary>Puts facts on a board profile, and says so of the edit that it is.</summary>
    public Answer<BoardProfile> Set(BoardProfile card, string revisionId, IReadOnlyList<ProfileFact> facts, string says)
    {
        var changed = ProfileFacts.Set(card, revisionId, facts, knowledge.Schemas);
        if (changed.Value is not { } after)
            return changed;
        EditScope.Say(says);
        store.Add(ProfilePack.Empty with { Boards = [after] }, clock.GetUtcNow());
        Changed();
        return after;
    }

    /// <summary>Reads the added cards anew: one was removed or taken back.</summary>
    public void Changed()
    {
        Forget();
        // What others read before the unit of work is over does not have it yet.
        UnitOfWork.WhenOver(Forget);
    }

    private void Forget()
    {
        lock (gate)
            (now, added) = (null, null);
    }

    /// <summary>Everything of the catalogue with these ids as one file, or everything that people added when no id is named.</summary>
    public Answer<ProfilePack> Export(IReadOnlyCollection<string> ids)
    {
        if (ids.Count == 0)
            return Added.Count > 0
                ? Added with
                {
                    Images = [.. Added.Images.Select(i => i with { Path = null })],
                }
                : new Problem("Profiles that you added can be exported together.", "You added none yet.", "Name the profiles to export.");
        var all = Catalogue;
        var pack = new ProfilePack(
            [.. all.Models.Where(m => ids.Contains(m.Id))],
            [.. all.Images.Where(i => ids.Contains(i.Id)).Select(i => i with { Path = null })],
            [.. all.Codes.Where(c => ids.Contains(c.Id))],
            []
        );
        var missing = ids.Except(pack.Boards.Select(b => b.Id))
            .Except(pack.Images.Select(i => i.Id))
            .Except(pack.Codes.Select(c => c.Id))
            .ToList();
        return missing.Count == 0
            ? pack
            : new Problem(
                "Every card to export should be in the catalogue.",
                $"{string.Join(", ", missing)} is not.",
                "Look at its id on the shelf."
            );
    }

    private Catalogue Merge(Catalogue shipped, ProfilePack added)
    {
        var own = parts.All();
        return new(
            [.. shipped.Models.Where(m => added.Boards.All(a => a.Id != m.Id)), .. added.Boards],
            [.. shipped.Images.Where(m => added.Images.All(a => a.Id != m.Id)), .. added.Images],
            [.. shipped.Supplies, .. own.Supplies],
            [.. shipped.Adapters, .. own.Adapters],
            [.. shipped.Codes.Where(m => added.Codes.All(a => a.Id != m.Id)), .. added.Codes],
            shipped.Cables,
            [.. shipped.Parts, .. own.Parts],
            [.. shipped.MeasuredCards, .. measured.MeasuredCards()],
            shipped.Chips
        );
    }
}
