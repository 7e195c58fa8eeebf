using System.Text;
using Buttonhook.Core.Asking;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Simulating;

namespace Buttonhook.Core.Tests.Asking;

/// <summary>A simulated board whose console is read and typed at, in board time.</summary>
internal sealed class PlayedBoard
{
    private readonly SimulationPlan plan;
    private readonly SimulatedBoard board;
    private readonly StringBuilder fresh = new();
    private int now;

    /// <summary>A board that was switched on and waits by now.</summary>
    public PlayedBoard(SimulationPlan plan)
    {
        this.plan = plan;
        board = new(plan);
        Wait();
    }

    public BootReader Reader { get; } = new(Knowledge.Rules);

    public int Now => now;

    private void Take()
    {
        foreach (var piece in board.Advance(now))
        {
            Reader.Add(piece.Bytes, piece.Milliseconds);
            fresh.Append(Encoding.UTF8.GetString(piece.Bytes));
        }
    }

    /// <summary>Until the board prints nothing more by itself.</summary>
    public void Wait()
    {
        var end = now + 600_000;
        while (board.NextDue is { } due && now < end)
        {
            now = Math.Max(now, due);
            Take();
        }
        now += 1000;
    }

    /// <summary>A person types a line.</summary>
    public void Enter(string line)
    {
        board.Type(Encoding.UTF8.GetBytes(line + "\r"), now);
        Wait();
    }

    /// <summary>What a round or a trial is told.</summary>
    public AskContext Context()
    {
        var (reading, diagnosis) = Reader.Diagnose();
        var log = Reader.Log;
        return new(
            [.. Enumerable.Range(1, log.CompleteLines).Select(log.Text).TakeLast(200)],
            reading.LastStage,
            diagnosis,
            new Dictionary<string, string>(),
            AskFacts.Of(log, diagnosis, plan.Console.Device)
        );
    }

    /// <summary>The unfinished line.</summary>
    public string Prompt => Reader.Log is var log && log.LineCount > log.CompleteLines ? log.Text(log.LineCount) : "";

    /// <summary>Lets something type by itself until it ends; gives what it typed.</summary>
    /// <param name="secrets">Whether it may type what is not kept.</param>
    public List<string> Play(TypingRun run, bool secrets = false)
    {
        var typed = new List<string>();
        fresh.Clear().Append(Prompt);
        for (var n = 0; n < 50_000 && run.State == SequenceState.Waiting; n++)
        {
            now += 20;
            Take();
            var text = fresh.ToString();
            fresh.Clear();
            if (run.Advance(now, text) is not { } keys)
                continue;
            Assert.True(secrets || !keys.Secret);
            typed.Add(Encoding.UTF8.GetString(keys.Bytes).TrimEnd('\r'));
            board.Type(keys.Bytes, now);
        }
        return typed;
    }
}
