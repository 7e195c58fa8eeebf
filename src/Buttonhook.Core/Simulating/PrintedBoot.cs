using System.Globalization;
using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Simulating;

/// <summary>
/// What the console prints while one board boots one image, as timed text: the strings are those of the real loader, kernel and user space, the names
/// are ours. A fault changes the text where it strikes.
/// </summary>
internal sealed partial class PrintedBoot
{
    private readonly List<Step> steps = [];
    private readonly SimulationPlan plan;
    private readonly Random random;
    private readonly double boardPace;
    private double kernelClock;

    private PrintedBoot(SimulationPlan plan)
    {
        this.plan = plan;
        random = new Random(plan.Seed);
        boardPace = 0.88 + random.NextDouble() * 0.3;
    }

    private bool Has(string fault) => plan.FaultId == fault;

    private BoardProfile Model => plan.Model;
    private string Host => plan.Host;
    private bool IsPc => Model.InstructionSet == InstructionSet.Amd64;
    private string Disk => plan.Disk;
    private string Partition => plan.Partition;

    /// <summary>The steps of one boot.</summary>
    public static IReadOnlyList<Step> For(SimulationPlan plan)
    {
        var boot = new PrintedBoot(plan);
        boot.Play();
        return boot.steps;
    }

    /// <summary>The steps from the moment when an entry of the menu was taken, from 1; the plan is that of the entry.</summary>
    public static IReadOnlyList<Step> ForEntry(SimulationPlan plan, int entry)
    {
        var boot = new PrintedBoot(plan);
        if (!(boot.IsPc ? boot.GrubEntry() : boot.Label(plan.Image!, entry)))
            boot.System();
        return boot.steps;
    }

    /// <summary>The steps that follow when the initial file system finds its root after all, or when the mount table lacks the line that failed.</summary>
    public static IReadOnlyList<Step> On(SimulationPlan plan, bool rootMounted)
    {
        var boot = new PrintedBoot(plan) { kernelClock = SecondsUntilThen };
        if (!rootMounted && boot.Root())
            return boot.steps;
        if (rootMounted)
            boot.StartServices();
        else if (boot.Services())
            return boot.steps;
        boot.Login();
        return boot.steps;
    }

    /// <summary>A kernel that waited for a person has run for so long.</summary>
    private const double SecondsUntilThen = 64;

    private void Play()
    {
        if (!(IsPc ? PcLoaders() : BoardLoaders()))
            System();
    }

    private void System()
    {
        if (Has(CauseIds.ConsoleArgMissing))
        {
            steps.Add(new(200, "", Then.Silence));
            return;
        }
        if (Kernel())
            return;
        if (Root())
            return;
        if (Services())
            return;
        Login();
    }

    private void Say(int delay, string text) => steps.Add(new(Jitter(delay), text + "\r\n"));

    private void End(Then then, string text = "", int delay = 30) => steps.Add(new(Jitter(delay), text, then));

    /// <summary>Every boot has its own pace, and every step differs a little.</summary>
    private int Jitter(int delay) => Math.Max(1, (int)(delay * boardPace * (0.93 + random.NextDouble() * 0.14)));

    private void K(int delay, string text)
    {
        var wait = Jitter(delay);
        kernelClock += wait / 1000.0;
        steps.Add(new(wait, $"[{kernelClock.ToString("0.000000", CultureInfo.InvariantCulture), 12}] {text}\r\n"));
    }

    private string Banner => Model.Banner ?? Model.FullName;

    private string MemoryWords => Sizes.Binary((long)plan.MemoryMiB << 20).Replace(".0", "", StringComparison.Ordinal);

    private string KernelVersion => plan.Image?.Kernel ?? "6.6.30";

    private string CommandLine => plan.CommandLine;
}
