namespace Buttonhook.Core.Practising;

/// <summary>Something that one can look at or measure in practice.</summary>
/// <param name="Minutes">What it costs.</param>
/// <param name="Usual">What it shows of a board that does not have one of the faults below.</param>
/// <param name="Tells">What it shows instead, by the id of the fault.</param>
/// <param name="Proves">The faults that it proves by itself.</param>
public sealed record PracticeLook(
    string Id,
    string Name,
    int Minutes,
    string Usual,
    IReadOnlyDictionary<string, string> Tells,
    IReadOnlyList<string> Proves
);

/// <summary>A fault that is practised.</summary>
/// <param name="Level">1: its log names it; 2: its log must be read; 3: it is silent, or misleads.</param>
/// <param name="Mend">What mends it, as a person chooses it.</param>
public sealed record PracticeFault(string Id, int Level, string Mend);

/// <summary>Looks and faults of practice. The file is data/knowledge/practice.yaml.</summary>
public sealed record PracticeBook(IReadOnlyList<PracticeLook> Looks, IReadOnlyList<PracticeFault> Faults)
{
    /// <summary>Reads the file; a fault that no simulated board has, or a look that names one, is a problem.</summary>
    public static Answer<PracticeBook> Read(string yaml, string schema)
    {
        var read = DataFile.Read<PracticeBook>("practice.yaml", yaml, schema);
        if (read.Value is not { } book)
            return read;
        var known = Simulating.SimulatedFaults.All.Select(f => f.Id).ToHashSet();
        var wrong = book
            .Faults.Select(f => f.Id)
            .Concat(book.Looks.SelectMany(l => l.Tells.Keys.Concat(l.Proves)))
            .FirstOrDefault(id => !known.Contains(id));
        return wrong is null
            ? book
            : new Problem("practice.yaml names faults that simulated boards have.", $"{wrong} is none.", "Correct it.");
    }

    /// <summary>The fault with this id, or null.</summary>
    public PracticeFault? Fault(string id) => Faults.FirstOrDefault(f => f.Id == id);

    /// <summary>The look with this id, or null.</summary>
    public PracticeLook? Look(string id) => Looks.FirstOrDefault(l => l.Id == id);
}
