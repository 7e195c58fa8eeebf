using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.App.Diagnosing;

/// <summary>The rule book in use: the one that ships with the program, with what the person made of it (rules.yaml in the data folder).</summary>
public sealed class RuleBooks
{
    private readonly RuleBookIndex shipped;
    private readonly string file;
    private readonly string schema;
    private readonly Lock changing = new();
    private volatile State state;

    private sealed record State(OwnRules Own, RuleBookIndex Current);

    /// <summary>Reads the person's rules; a file that cannot be read is left alone and told by <see cref="Trouble"/>.</summary>
    public RuleBooks(BenchOptions options, KnowledgeFiles knowledge)
    {
        shipped = knowledge.Rules;
        schema = knowledge.OwnRulesSchema;
        file = Path.Combine(options.DataFolder, "rules.yaml");
        state = new(OwnRules.None, shipped);
        try
        {
            if (!File.Exists(file))
                return;
            var read = OwnRules.Read(File.ReadAllText(file), schema, shipped.Book);
            if (read.Value is { } own)
                state = With(own);
            else
                Trouble = read.Problem;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            Trouble = new("rules.yaml should be readable.", e.Message, "Until then only the shipped rules are in use.");
        }
    }

    /// <summary>The book in use.</summary>
    public RuleBookIndex Current => state.Current;

    /// <summary>The book as it ships.</summary>
    public RuleBookIndex Shipped => shipped;

    /// <summary>What the person made of it.</summary>
    public OwnRules Own => state.Own;

    /// <summary>Why the person's rules could not be read, or null.</summary>
    public Problem? Trouble { get; private set; }

    /// <summary>Told after every change.</summary>
    public event Action Changed = () => { };

    private State With(OwnRules own) => new(own, shipped.With(own.Applied(shipped.Book)));

    /// <summary>Changes the person's rules and writes them; a problem leaves all as it was.</summary>
    public Problem? Change(Func<OwnRules, Answer<OwnRules>> change)
    {
        lock (changing)
        {
            var answer = change(state.Own);
            if (answer.Value is not { } own)
                return answer.Problem!;
            // What was taken before is not tried again.
            if (own.Rules.Except(state.Own.Rules).Select(RuleCost.Against).FirstOrDefault(p => p is not null) is { } costly)
                return costly;
            var next = With(own);
            try
            {
                // Replaced as a whole: a power cut leaves the old file or the new one.
                var fresh = file + ".new";
                File.WriteAllText(fresh, DataFile.Write(own));
                File.Move(fresh, file, true);
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                return new("The rules should be written to the data folder.", e.Message, "Make room there; nothing was changed.");
            }
            (state, Trouble) = (next, null);
        }
        Changed();
        return null;
    }

    /// <summary>Takes rules in that were exported elsewhere: those with a known name replace their like, and what is off is switched off too.</summary>
    public Problem? Import(string yaml)
    {
        var read = OwnRules.Read(yaml, schema, shipped.Book);
        return read.Value is not { } more
            ? read.Problem
            : Change(own => new OwnRules(
                [.. own.Rules.Where(r => more.Rules.All(m => m.Id != r.Id)), .. more.Rules],
                [.. own.Off.Union(more.Off)]
            ));
    }
}
