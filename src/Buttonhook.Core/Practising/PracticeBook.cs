using Buttonhook.Core.Simulating;

namespace Buttonhook.Core.Practising;

/// <summary>Something that one can look at or measure in practice.</summary>
/// <param name="Minutes">What it costs.</param>
/// <param name="Usual">What it shows of a board that does not have one of the faults below.</param>
/// <param name="Tells">What it shows instead, by the id of the fault.</param>
public sealed record PracticeLook(string Id, string Name, int Minutes, string Usual, IReadOnlyDictionary<string, string> Tells)
{
    /// <summary>What it shows of a board that has a fault.</summary>
    public string Shows(string faultId) => Tells.GetValueOrDefault(faultId, Usual);
}

/// <summary>A fault that is practised.</summary>
/// <param name="Level">1: its log names it; 2: its log must be read; 3: it is silent, or misleads.</param>
/// <param name="Mend">What mends it, as a person chooses it.</param>
/// <param name="Minutes">What that takes (card out, edited or written, put back), without the boot that shows whether it was it.</param>
/// <param name="Also">Other faults that are gone behind it, too; null for none.</param>
public sealed record PracticeFault(string Id, int Level, string Mend, int Minutes, IReadOnlyList<string>? Also = null)
{
    /// <summary>Whether a board with a fault starts behind this mending.</summary>
    public bool Mends(string faultId) => faultId == Id || Also?.Contains(faultId) == true;
}

/// <summary>Looks and faults of practice. The file is data/knowledge/practice.yaml.</summary>
public sealed record PracticeBook(IReadOnlyList<PracticeLook> Looks, IReadOnlyList<PracticeFault> Faults)
{
    /// <summary>Reads the file; a fault that no simulated board has, or a look that names one, is a problem.</summary>
    public static Answer<PracticeBook> Read(string yaml, string schema)
    {
        var read = DataFile.Read<PracticeBook>("practice.yaml", yaml, schema);
        if (read.Value is not { } book)
            return read;
        var known = SimulatedFaults.All.Select(f => f.Id).ToHashSet();
        var wrong = book
            .Faults.Select(f => f.Id)
            .Concat(book.Looks.SelectMany(l => l.Tells.Keys).Concat(book.Faults.SelectMany(f => f.Also ?? [])))
            .FirstOrDefault(id => !known.Contains(id));
        return wrong is null
            ? book
            : new Problem("practice.yaml names faults that simulated boards have.", $"{wrong} is none.", "Correct it.");
    }

    /// <summary>The fault with this id, or null.</summary>
    public PracticeFault? Fault(string id) => Faults.FirstOrDefault(f => f.Id == id);

    /// <summary>What told a fault, in a sentence.</summary>
    /// <param name="lines">The lines of its log that told it.</param>
    /// <param name="alike">Other faults whose log reads the same.</param>
    public string Told(string faultId, IReadOnlyList<TellingLine> lines, IReadOnlyList<string> alike, Func<string, string> nameOf) =>
        lines.Count > 0 ? $"The log told it, in line {lines[0].Line}."
        : alike.Count == 0 ? "The log told it by where it ends; no other fault ends so."
        : $"The log does not tell it: {string.Join(", ", alike.Select(f => $"“{nameOf(f)}”"))} would read the same. {LookFor(faultId, alike)}";

    /// <summary>The quickest look that parts a fault from others.</summary>
    private string LookFor(string faultId, IReadOnlyList<string> others) =>
        Looks.Where(l => others.Any(o => l.Shows(o) != l.Shows(faultId))).MinBy(l => l.Minutes) is { } look
            ? $"What parts them: {look.Name} ({look.Minutes} min). {look.Shows(faultId)}"
            : "";

    /// <summary>The look with this id, or null.</summary>
    public PracticeLook? Look(string id) => Looks.FirstOrDefault(l => l.Id == id);
}
