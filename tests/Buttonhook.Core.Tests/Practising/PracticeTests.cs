using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Practising;
using Buttonhook.Core.Simulating;
using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Practising;

public class PracticeTests(ITestOutputHelper output)
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

    private const int BootMinutes = 4;

    /// <summary>How the boot of each fault reads, played once for all tests.</summary>
    private static readonly Lazy<Dictionary<string, BootSign>> Signs = new(() =>
        Book.Faults.AsParallel().ToDictionary(f => f.Id, f => BootSign.Of(Played(f.Id)))
    );

    private static ReadCapture Played(string fault)
    {
        var reader = new BootReader(Knowledge.Rules);
        foreach (var piece in new SimulatedBoard(Bench.Plan("quill-v", fault)).Advance(400_000))
            reader.Add(piece.Bytes, piece.Milliseconds);
        reader.Ending = new(CaptureEnd.Person, 65_000);
        return reader.Result();
    }

    private static PracticeJudge Judge(int? level) =>
        new(Book, Book.Faults.Where(f => level is null || f.Level == level).ToDictionary(f => f.Id, _ => 1.0), Signs.Value, BootMinutes);

    private static PracticeRound Done(PracticeRound round, PracticeKind kind, string of)
    {
        var (minutes, tells) = kind switch
        {
            PracticeKind.Boot => (BootMinutes, ""),
            PracticeKind.Look => (Book.Look(of)!.Minutes, Book.Look(of)!.Shows(round.FaultId)),
            _ => (Book.Fault(of)!.Minutes + BootMinutes, ""),
        };
        return round.With(new(kind, of, minutes, tells), kind == PracticeKind.Mend && Book.Fault(of)!.Mends(round.FaultId), At);
    }

    [Fact]
    public void Every_fault_can_be_practised_and_is_parted_from_all_others_by_its_log_or_by_a_look()
    {
        Assert.Equal(SimulatedFaults.All.Select(f => f.Id).Order(), Book.Faults.Select(f => f.Id).Order());
        Assert.All(
            from one in Book.Faults
            from other in Book.Faults
            where string.CompareOrdinal(one.Id, other.Id) < 0
            select (One: one.Id, Other: other.Id),
            p =>
                Assert.True(
                    Signs.Value[p.One] != Signs.Value[p.Other] || Book.Looks.Any(l => l.Shows(p.One) != l.Shows(p.Other)),
                    $"{p.One} and {p.Other} cannot be told apart"
                )
        );
    }

    [Fact]
    public void Going_by_the_best_step_each_time_finds_every_fault_within_the_hour_and_gives_nothing_away()
    {
        foreach (var fault in Book.Faults)
        {
            var round = Round(fault.Id) with { Level = fault.Level };
            var judge = Judge(fault.Level);
            while (round.Won is null)
            {
                var (kind, of) = judge.Next(round);
                round = Done(round, kind, of);
                Assert.InRange(round.Steps.Count, 1, 12);
            }
            Assert.True(round.Won, $"{fault.Id} was not found in {round.Minutes} min");
            Assert.All(judge.Of(round), s => Assert.Equal(0, s.Lost));
        }
    }

    [Fact]
    public void Who_mends_without_looking_loses_most_rounds_and_sees_what_that_gave_away()
    {
        var dice = new Random(7);
        var (won, all, lost) = (0, 0, 0.0);
        for (var n = 0; n < 40; n++)
            foreach (var fault in Book.Faults)
            {
                var round = Round(fault.Id) with { Level = fault.Level };
                foreach (var of in Book.Faults.Select(f => f.Id).OrderBy(_ => dice.Next()))
                    if (round.Won is null)
                        round = Done(round, PracticeKind.Mend, of);
                (won, all) = (won + (round.Won == true ? 1 : 0), all + 1);
                lost += Judge(fault.Level).Of(round).Sum(s => s.Lost);
            }
        output.WriteLine($"won {won} of {all} without looking, {lost / all:0.0} min given away a round");
        Assert.InRange((double)won / all, 0, 0.4);
        Assert.InRange(lost / all, 8, 60);
    }

    [Fact]
    public void A_lucky_guess_wins_and_is_told_what_it_gave_away_and_giving_up_at_once_gives_away_most()
    {
        var guess = Done(Round("root-not-found"), PracticeKind.Mend, "root-not-found");
        Assert.True(guess.Won);
        var judged = Assert.Single(Judge(1).Of(guess));
        Assert.InRange(judged.Lost, 1, 30);
        Assert.Equal("Apply power and read the console", judged.Best);
        Assert.Matches("^[0-9]+ faults were possible; this parts them into [0-9]+ groups.$", judged.Why);
        var read = Done(Done(Round("root-not-found"), PracticeKind.Boot, ""), PracticeKind.Mend, "root-not-found");
        Assert.All(Judge(1).Of(read), s => Assert.Equal(0, s.Lost));
        var gaveUp = Assert.Single(Judge(1).Of(Round("root-not-found") with { Won = false }));
        Assert.InRange(gaveUp.Lost, 5, 30);
    }

    [Fact]
    public void Writing_the_card_again_mends_what_it_mends_in_life()
    {
        var round = Done(Round("initrd-corrupt"), PracticeKind.Mend, "image-truncated");
        Assert.True(round.Won);
        Assert.Empty(round.Mistaken);
        Assert.Null(Done(Round("medium-io-errors"), PracticeKind.Mend, "image-truncated").Won);
    }

    [Property]
    public bool No_step_gives_less_than_nothing_away_and_the_steps_of_any_round_are_judged(int[] picks, PositiveInt which)
    {
        var fault = Book.Faults[which.Get % Book.Faults.Count].Id;
        var round = Round(fault);
        foreach (var pick in picks.Where(_ => true).Take(10))
        {
            if (round.Won is not null)
                break;
            var n = Math.Abs(pick % 1000);
            round = (n % 3) switch
            {
                0 => Done(round, PracticeKind.Boot, ""),
                1 => Done(round, PracticeKind.Look, Book.Looks[n % Book.Looks.Count].Id),
                _ => Done(round, PracticeKind.Mend, Book.Faults[n % Book.Faults.Count].Id),
            };
        }
        var judged = Judge(null).Of(round);
        return judged.Count == round.Steps.Count + (round.Won == false && round.Minutes < PracticeRound.MostMinutes ? 1 : 0)
            && judged.All(s => s.Lost >= 0 && double.IsFinite(s.Lost) && s.Best.Length > 0)
            && round.Steps.Zip(judged).All(p => p.Second.Lost <= p.First.Minutes);
    }

    [Fact]
    public void What_this_bench_met_is_drawn_more_often()
    {
        var met = new Dictionary<string, int> { ["root-not-found"] = 19 };
        var possible = Book.Faults.Select(f => f.Id).ToHashSet();
        int Drawn(IReadOnlyDictionary<string, int> by) =>
            Enumerable.Range(0, 1000).Count(n => Practice.Draw(Book, 1, by, [], possible, n / 1000.0)!.Id == "root-not-found");
        Assert.InRange(Drawn(met), 700, 850);
        Assert.InRange(Drawn(new Dictionary<string, int>()), 120, 220);
    }

    [Fact]
    public void What_was_missed_or_mixed_up_comes_back_and_what_was_found_at_once_does_not()
    {
        var wrong = new PracticeStep(PracticeKind.Mend, "disk-full", 3, "");
        var right = new PracticeStep(PracticeKind.Mend, "root-not-found", 3, "");
        Assert.Equal(2, Practice.WeightOf("root-not-found", []));
        Assert.Equal(1, Practice.WeightOf("root-not-found", [Round("root-not-found", true)]));
        Assert.Equal(4, Practice.WeightOf("root-not-found", [Round("root-not-found", false)]));
        Assert.Equal(4, Practice.WeightOf("disk-full", [Round("root-not-found", true, 0, wrong, right)]));
        Assert.Equal(1, Practice.WeightOf("root-not-found", [Round("root-not-found", true, 5), Round("root-not-found", false, 1)]));
        Assert.Equal([("disk-full", "root-not-found", 1)], Practice.MixedUp([Round("root-not-found", true, 0, wrong, right)]));
    }

    [Property]
    public bool A_draw_is_of_the_level_and_possible(PositiveInt level, NormalFloat dice)
    {
        var wanted = level.Get % 3 + 1;
        var possible = Book.Faults.Where((_, n) => n % 2 == 0).Select(f => f.Id).ToHashSet();
        var fault = Practice.Draw(Book, wanted, new Dictionary<string, int>(), [], possible, dice.Get)!;
        return fault.Level == wanted && possible.Contains(fault.Id);
    }

    [Fact]
    public void Nothing_possible_draws_nothing() =>
        Assert.Null(Practice.Draw(Book, 1, new Dictionary<string, int>(), [], new HashSet<string>(), 0.5));

    [Fact]
    public void A_round_ends_with_the_fault_or_with_the_hour()
    {
        var round = Done(Round("disk-full"), PracticeKind.Mend, "root-not-found");
        Assert.Null(round.Won);
        Assert.Equal(["root-not-found"], round.Mistaken);
        Assert.True(Done(round, PracticeKind.Mend, "disk-full").Won);
        Assert.False(round.With(new(PracticeKind.Look, "card-read", 57, ""), false, At).Won);
        // A fix that is only done when the hour is over comes too late.
        Assert.False(round.With(new(PracticeKind.Mend, "disk-full", 57, ""), true, At).Won);
    }
}
