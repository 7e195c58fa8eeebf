using System.Globalization;
using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Keeping;

/// <summary>Something that a running system told when it was read.</summary>
/// <param name="Setting">The setting of the record that it fills.</param>
/// <param name="Name">That setting's name.</param>
/// <param name="Value">What it told; null when its answer told nothing.</param>
/// <param name="Line">The line of the log that shows it; of an empty answer, the one where it would stand.</param>
public sealed record SystemTold(string Setting, string Name, string? Value, int Line);

/// <summary>Finds in a log what commands told that were typed to read a running system (<see cref="AnswerMarks"/>): the last answer to each.</summary>
public static class SystemReads
{
    /// <summary>Lines that are read, from the end.</summary>
    private const int LinesBack = 20_000;

    /// <summary>Lines of one answer.</summary>
    private const int MostLines = 400;

    /// <summary>What a log tells, in the order of the commands; a command that was not asked is not in it.</summary>
    public static IReadOnlyList<SystemTold> Of(ConsoleLog log, CommandBook commands)
    {
        var known = commands.Reading.ToDictionary(c => c.Setting!);
        var found = new Dictionary<string, SystemTold>();
        for (var line = Math.Max(1, log.LineCount - LinesBack); line <= log.LineCount; line++)
            if (AnswerMarks.NameOf(log.Text(line)) is { } setting && known.TryGetValue(setting, out var command))
                if (Read(log, line, command) is { } told)
                    found[setting] = told;
        return [.. known.Keys.Where(found.ContainsKey).Select(s => found[s])];
    }

    private static SystemTold? Read(ConsoleLog log, int begin, KnownCommand command)
    {
        var lines = new List<(int Line, string Text)>();
        var end = begin + 1;
        for (; end <= log.LineCount && end - begin <= MostLines && !AnswerMarks.IsEnd(log.Text(end)); end++)
            lines.Add((end, log.Text(end).TrimEnd()));
        // An answer without its end was cut short.
        if (end > log.LineCount || end - begin > MostLines)
            return null;
        if (AnswerMarks.BeforeEnd(log.Text(end)) is { Length: > 0 } rest)
            lines.Add((end, rest));
        lines.RemoveAll(l => l.Text.Length == 0 || KernelClock.TimeOf(l.Text) is not null);
        var told = lines.Select(l => (l.Line, Value: Value(command.Proves()!.Match(l.Text)))).Where(l => l.Value is not null).ToList();
        var value =
            told.Count > 0 ? string.Join(", ", told.Select(t => t.Value).Distinct())
            : lines.Count == 0 ? command.Otherwise
            : null;
        return new(command.Setting!, SettingNames.Of(command.Setting!), value, told.Count > 0 ? told[0].Line : begin);
    }

    private static string? Value(Match match)
    {
        if (!match.Success)
            return null;
        string? Of(string group) => match.Groups[group] is { Success: true, Value: var value } ? value : null;
        if (Of("milli") is { } milli)
            return string.Create(CultureInfo.InvariantCulture, $"{int.Parse(milli, CultureInfo.InvariantCulture) / 1000.0:0.#} °C");
        var size = Of("kib") is { } kib ? Sizes.Binary(long.Parse(kib, CultureInfo.InvariantCulture) * 1024) : null;
        return string.Join(' ', new[] { Of("value") is { } value ? Blanks(value) : null, size }.OfType<string>());
    }

    private static string Blanks(string text) => string.Join(' ', text.Split(' ', StringSplitOptions.RemoveEmptyEntries));
}
