using System.Globalization;
using System.Text;

namespace Buttonhook.Core.Keeping;

/// <summary>Working settings as Markdown.</summary>
public static class SettingsText
{
    /// <summary>The settings as Markdown that prints on one or two pages.</summary>
    public static string Markdown(WorkingSettings s, int version)
    {
        var text = new StringBuilder();
        void Line(string line = "") => text.Append(line).Append('\n');
        Line($"# {Escape(s.Nickname)}: working settings, version {version}");
        Line();
        Line(
            s.BootedAt is { } at
                ? $"Of the boot at {at.UtcDateTime.ToString("yyyy-MM-dd HH:mm 'UTC'", CultureInfo.InvariantCulture)}{(s.LogSha256 is { } sum ? $" (log, SHA-256: {sum})" : "")}."
                : "Of no boot that is known."
        );
        foreach (var (about, title) in SettingNames.Groups)
        {
            var rows = s.Settings.Where(r => r.About == about).ToList();
            if (rows.Count == 0)
                continue;
            Line();
            Line($"## {title}");
            Line();
            Line("| what | value | stands on |");
            Line("| --- | --- | --- |");
            foreach (var row in rows)
                Line($"| {Escape(row.Name)} | {Escape(Value(row))} | {Escape(StandsOn(row))} |");
        }
        foreach (var file in s.Files)
        {
            Line();
            Line($"## {Escape(file.Path)}");
            Line();
            // Indented, a text needs no fence that it could break.
            foreach (var line in file.Text.TrimEnd('\n').Split('\n'))
                Line("    " + line.TrimEnd('\r'));
        }
        if (s.Notes.Length > 0)
        {
            Line();
            Line("## Notes");
            Line();
            Line(Escape(s.Notes));
        }
        return text.ToString();
    }

    private static string Value(Setting row) =>
        (row.Said, row.Value) switch
        {
            ({ } said, { } proven) when row.Disputed => $"{proven} (you say: {said})",
            ({ } said, { } told) => $"{said} (told: {told})",
            ({ } said, null) => said,
            (null, { } told) => told,
            _ => "not known",
        };

    /// <summary>What a setting stands on, in words.</summary>
    public static string StandsOn(Setting row) =>
        row.Disputed ? $"{(row.Line is { } proof ? $"proven, line {proof}" : $"proven: {row.Source}")}; you say otherwise"
        : row.Said is not null ? "as you say"
        : row.Standing switch
        {
            Standing.Proven => row.Line is { } line ? $"proven, line {line}" : $"proven: {row.Source}",
            Standing.Claimed => row.Source,
            Standing.Differs => $"differs: {row.Source}",
            _ => "",
        };

    private static string Escape(string text) => text.Replace("\r", "").Replace("|", "\\|").Replace("<", "&lt;").Replace('\n', ' ');
}
