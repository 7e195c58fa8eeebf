using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Practising;
using Buttonhook.Core.Simulating;
using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Practising;

public class PracticeTests
{
    private static readonly PracticeBook Book = PracticeBook
        .Read(
            File.ReadAllText(Path.Combine(Knowledge.Data, "knowledge/practice.yaml")),
            File.ReadAllText(Path.Combine(Knowledge.Root, "docs/formats/practice.schema.json"))
        )
        .Value!;

    private static readonly DateTimeOffset At = new(2026, 3, 14, 6, 30, 0, TimeSpan.Zero);

    private static PracticeRound Round(string fault, bool? won = null, int at = 0, params PracticeStep[] steps) =>
        new("r", "Quince", "quill-v", "B", 4096, "i", fault, 1, false, 1, steps, At, won is null ? null : At.AddMinutes(at), won);

    private static Diagnosis Diagnosed(string fault)
    {
        var reader = new BootReader(Knowledge.Rules);
        foreach (var piece in new SimulatedBoard(Bench.Plan("quill-v", fault)).Advance(400_000))
            reader.Add(piece.Bytes, piece.Milliseconds);
        reader.Ending = new(CaptureEnd.Person, 30_000);
        return reader.Result().Diagnosis;
    }

    [Fact]
    public void Every_fault_can_be_practised_and_every_one_has_a_look_or_a_log_that_tells_it()
    {
        Assert.Equal(SimulatedFaults.All.Select(f => f.Id).Order(), Book.Faults.Select(f => f.Id).Order());
        Assert.All(
            Book.Faults,
            f =>
            {
                var way = Practice.Shortest(Book, f.Id, Diagnosed(f.Id), 3);
                Assert.DoesNotContain("leaving out what it is not", way.Says);
                Assert.EndsWith(f.Mend, way.Says);
                Assert.InRange(way.Minutes, 4, 20);
            }
        );
        Assert.All(Book.Looks, l => Assert.All(l.Proves, p => Assert.Contains(p, l.Tells.Keys)));
    }

    [Fact]
    public void A_log_that_names_its_fault_is_the_shortest_way_with_its_lines()
    {
        var way = Practice.Shortest(Book, "kernel-wrong-architecture", Diagnosed("kernel-wrong-architecture"), 3);
        Assert.StartsWith("One boot, and line", way.Says);
        Assert.NotEmpty(way.Lines);
        Assert.Equal(6, way.Minutes);
    }

    [Fact]
    public void A_look_that_costs_less_than_a_boot_is_the_shorter_way() =>
        Assert.StartsWith("Take the card out", Practice.Shortest(Book, "no-boot-medium", Diagnosed("no-boot-medium"), 3).Says);

    [Fact]
    public void What_was_missed_or_mixed_up_comes_back_and_what_was_found_at_once_does_not()
    {
        var wrong = new PracticeStep(PracticeKind.Mend, "disk-full", 3, "");
        Assert.Equal(2, Practice.WeightOf("root-not-found", []));
        Assert.Equal(1, Practice.WeightOf("root-not-found", [Round("root-not-found", true)]));
        Assert.Equal(4, Practice.WeightOf("root-not-found", [Round("root-not-found", false)]));
        Assert.Equal(4, Practice.WeightOf("disk-full", [Round("root-not-found", true, 0, wrong)]));
        Assert.Equal(1, Practice.WeightOf("root-not-found", [Round("root-not-found", true, 5), Round("root-not-found", false, 1)]));
        Assert.Equal([("disk-full", "root-not-found", 1)], Practice.MixedUp([Round("root-not-found", true, 0, wrong)]));
    }

    [Property]
    public bool A_draw_is_of_the_level_and_possible(PositiveInt level, NormalFloat dice)
    {
        var wanted = level.Get % 3 + 1;
        var possible = Book.Faults.Where((_, n) => n % 2 == 0).Select(f => f.Id).ToHashSet();
        var fault = Practice.Draw(Book, wanted, [], possible, dice.Get)!;
        return fault.Level == wanted && possible.Contains(fault.Id);
    }

    [Fact]
    public void Nothing_possible_draws_nothing() => Assert.Null(Practice.Draw(Book, 1, [], new HashSet<string>(), 0.5));

    [Fact]
    public void A_round_ends_with_the_fault_or_with_the_hour()
    {
        var round = Round("disk-full").With(new(PracticeKind.Mend, "root-not-found", 3, ""), At);
        Assert.Null(round.Won);
        Assert.Equal(["root-not-found"], round.Mistaken);
        Assert.True(round.With(new(PracticeKind.Mend, "disk-full", 3, ""), At).Won);
        Assert.False(round.With(new(PracticeKind.Look, "card-read", 57, ""), At).Won);
    }
}
