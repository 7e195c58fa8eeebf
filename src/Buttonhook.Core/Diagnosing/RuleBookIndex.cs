namespace Buttonhook.Core.Diagnosing;

/// <summary>A rule book with its patterns laid out for the scanner: marks first, then evidence, then harmless lines.</summary>
public sealed class RuleBookIndex
{
    /// <summary>Lays out the patterns of a book.</summary>
    /// <param name="fitted">What was fitted to the lab; null for the weights of the book itself.</param>
    /// <param name="shapes">The lines that good boots print; null when none are known.</param>
    public RuleBookIndex(RuleBook book, IReadOnlyList<FittedWeight>? fitted = null, KnownShapes? shapes = null)
        : this(book, fitted ?? [], shapes ?? KnownShapes.None, null) { }

    private RuleBookIndex(RuleBook book, IReadOnlyList<FittedWeight> fitted, KnownShapes shapes, LineScanner? scanner)
    {
        (Book, AllFitted, Shapes) = (book, fitted, shapes);
        fittedOf = fitted.ToLookup(f => KeyOf(f.Cause, f.Observation, f.Against), StringComparer.Ordinal);
        var rules = new List<EvidenceRule>();
        foreach (var cause in book.Causes)
        {
            foreach (var evidence in cause.Evidence ?? [])
                rules.Add(new(cause, evidence, true, rules.Count));
            foreach (var evidence in cause.Against ?? [])
                rules.Add(new(cause, evidence, false, rules.Count));
        }
        Rules = rules;
        Weights = new(Rules, FittedOf);
        Evidence = [.. Rules.Where(e => e.Evidence.Find is not null)];
        Signalled = [.. Rules.Where(e => e.Evidence.Find is null)];
        EvidenceOffset = book.Marks.Count;
        HarmlessOffset = EvidenceOffset + Evidence.Count;
        version = new(() => VersionOf(book, fitted, shapes.Version));
        Scanner =
            scanner
            ?? new(
                book.Marks.Select(m => new Pattern(m.Find, m.Regex, m.Not))
                    .Concat(Evidence.Select(e => new Pattern(e.Evidence.Find!, e.Evidence.Regex, e.Evidence.Not)))
                    .Concat(book.Harmless.Select(h => new Pattern(h.Find, h.Regex, h.Not)))
            );
    }

    /// <summary>All that was fitted.</summary>
    public IReadOnlyList<FittedWeight> AllFitted { get; }

    /// <summary>What was fitted of an observation, or null.</summary>
    public FittedWeight? Fitted(string cause, Evidence evidence, bool against) => FittedOf(cause, evidence.Key, against);

    private FittedWeight? FittedOf(string cause, string observation, bool against) =>
        fittedOf[KeyOf(cause, observation, against)].FirstOrDefault();

    // One text and no tuple: the code for lookups of texts is there before the program starts.
    private static string KeyOf(string cause, string observation, bool against) => $"{cause}{(against ? '-' : '+')}{observation}";

    /// <summary>Another book with what was fitted and learnt for this one.</summary>
    public RuleBookIndex With(RuleBook book) => ReferenceEquals(book, Book) ? this : new(book, AllFitted, Shapes);

    /// <summary>The same book with other known lines.</summary>
    internal RuleBookIndex With(KnownShapes shapes) => new(Book, AllFitted, shapes, Scanner);

    /// <summary>The book.</summary>
    public RuleBook Book { get; }

    /// <summary>The lines that good boots print.</summary>
    public KnownShapes Shapes { get; }

    /// <summary>Counts the changes of what the code says of the same bytes.</summary>
    private const string Code = "8";
    private readonly Lazy<long> version;
    private readonly ILookup<string, FittedWeight> fittedOf;

    /// <summary>Tells rules from others: what was read by rules of the same version is not read again. Never 0.</summary>
    public long Version => version.Value;

    private static long VersionOf(RuleBook book, IReadOnlyList<FittedWeight> fitted, ulong shapes) =>
        (long)(
            System.IO.Hashing.XxHash3.HashToUInt64(
                System.Text.Encoding.UTF8.GetBytes(
                    Code
                        + System.Text.Json.JsonSerializer.Serialize(
                            new
                            {
                                book,
                                fitted,
                                shapes,
                            },
                            DataFile.Json
                        )
                )
            ) >> 1
        ) | 1;

    /// <summary>The scanner over all patterns.</summary>
    public LineScanner Scanner { get; }

    /// <summary>What each observation is worth.</summary>
    internal Weights Weights { get; }

    /// <summary>All rules, in the order of their numbers.</summary>
    internal IReadOnlyList<EvidenceRule> Rules { get; }
    internal int EvidenceOffset { get; }
    internal int HarmlessOffset { get; }
    internal IReadOnlyList<EvidenceRule> Evidence { get; }
    internal IReadOnlyList<EvidenceRule> Signalled { get; }
}

/// <summary>One piece of evidence with the cause that it speaks for or against, and its number among all.</summary>
internal sealed record EvidenceRule(Cause Cause, Evidence Evidence, bool For, int Number);
