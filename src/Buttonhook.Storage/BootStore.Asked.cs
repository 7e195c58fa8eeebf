using Buttonhook.Core.Diagnosing;
using Dapper;

namespace Buttonhook.Storage;

// What was asked after a boot, and what was tried in it.
public sealed partial class BootStore
{
    /// <summary>Keeps what was answered to a question; null takes the answer back.</summary>
    /// <param name="command">What the board was asked with; null when a person looked.</param>
    public void Tell(string bootId, string question, string? result, string? command, DateTimeOffset at)
    {
        using var connection = database.Connect();
        connection.Execute(
            result is null
                ? "DELETE FROM boot_told WHERE boot_id = @bootId AND question = @question"
                : "INSERT OR REPLACE INTO boot_told (boot_id, question, result, command, answered_at) VALUES (@bootId, @question, @result, @command, @at)",
            new
            {
                bootId,
                question,
                result,
                command,
                at = Rows.At(at),
            }
        );
    }

    /// <summary>What was answered after a boot, by question, in the order in which it was asked.</summary>
    public IReadOnlyList<ToldAnswer> Told(string bootId)
    {
        using var connection = database.Connect();
        return
        [
            .. connection.Query<ToldAnswer>(
                "SELECT question, result, command FROM boot_told WHERE boot_id = @bootId ORDER BY answered_at, question",
                new { bootId }
            ),
        ];
    }

    /// <summary>Keeps what was tried in a boot.</summary>
    /// <param name="line">The line behind which it was typed, from 1.</param>
    /// <param name="offered">What was offered, as JSON.</param>
    public void Tried(string bootId, string cause, int line, string offered, DateTimeOffset at)
    {
        using var connection = database.Connect();
        connection.Execute(
            "INSERT INTO boot_trials (boot_id, number, cause, line, offered, tried_at) SELECT @bootId, COALESCE(MAX(number), 0) + 1, @cause, @line, @offered, @at FROM boot_trials WHERE boot_id = @bootId",
            new
            {
                bootId,
                cause,
                line,
                offered,
                at = Rows.At(at),
            }
        );
    }

    /// <summary>What was tried in a boot, in order.</summary>
    public IReadOnlyList<KeptTrial> Trials(string bootId)
    {
        using var connection = database.Connect();
        return
        [
            .. connection.Query<KeptTrial>(
                "SELECT cause, line, offered FROM boot_trials WHERE boot_id = @bootId ORDER BY number",
                new { bootId }
            ),
        ];
    }

    /// <summary>The results of what was answered after a boot, by question.</summary>
    public IReadOnlyDictionary<string, string> Results(string bootId) => Told(bootId).ToDictionary(t => t.Question, t => t.Result);

    /// <summary>What a person found after a boot, by cause, as it was kept before there were questions.</summary>
    public IReadOnlyDictionary<string, CheckAnswer> Answers(string bootId)
    {
        using var connection = database.Connect();
        return connection
            .Query<(string Cause, string Answer)>("SELECT cause, answer FROM boot_answers WHERE boot_id = @bootId", new { bootId })
            .ToDictionary(a => a.Cause, a => Enum.Parse<CheckAnswer>(a.Answer));
    }
}
