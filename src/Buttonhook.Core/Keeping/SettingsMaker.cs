using System.Globalization;
using System.Text;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Keeping;

/// <summary>Fills working settings in from a boot that reached the login, and writes them as Markdown.</summary>
public static class SettingsMaker
{
    /// <summary>Settings from a boot; a boot without a login is a problem.</summary>
    public static Answer<WorkingSettings> From(
        Board board,
        Catalogue catalogue,
        string? imageId,
        BootReading reading,
        string source,
        string logSha256,
        DateTimeOffset bootedAt
    )
    {
        if (reading.LastStage != Stage.Login)
            return new Problem(
                "Working settings come from a boot that reached the login.",
                $"This one ended at {Words.Of(reading.LastStage)}.",
                "Correct what Diagnose names and boot again."
            );
        if (catalogue.Model(board.ModelId) is not { } model)
            return new Problem("The board's model should be in the catalogue.", $"{board.ModelId} is not.", "Identify the board again.");
        var image = catalogue.Image(imageId);
        var facts = reading.Facts;
        return new WorkingSettings(
            WorkingSettings.FormatName,
            board.Nickname,
            model.Maker,
            model.Carrier is null ? model.Name : $"{model.Name} on {model.Carrier}",
            board.RevisionId,
            board.MemoryMiB,
            model.InstructionSet?.Words(),
            image?.Title,
            image?.Version,
            board.Connected.CardGb,
            catalogue.Supply(board.Connected.SupplyId)?.Name,
            catalogue.Adapter(board.Connected.AdapterId)?.Name,
            source,
            facts.Kernel,
            facts.Os,
            facts.BootMedium,
            facts.Hostname,
            facts.Addresses,
            [
                .. reading
                    .StageLines.Where(s => s.Milliseconds is not null)
                    .Select(s => new StageTime(s.Stage, Math.Round(s.Milliseconds!.Value / 1000.0, 1))),
            ],
            board.Changes,
            "",
            logSha256,
            bootedAt
        );
    }

    /// <summary>The settings as Markdown that prints on one page.</summary>
    public static string Markdown(WorkingSettings s, int version)
    {
        var text = new StringBuilder();
        void Line(string line = "") => text.Append(line).Append('\n');
        void Row(string name, string? value) => Line($"| {name} | {Escape(value ?? "not known")} |");
        Line($"# {Escape(s.Nickname)}: working settings, version {version}");
        Line();
        Line("| what | value |");
        Line("| --- | --- |");
        Row(
            "board",
            string.Join(
                ", ",
                new[]
                {
                    s.Maker is null ? s.Model : $"{s.Maker} {s.Model}",
                    $"revision {s.Revision}",
                    s.MemoryMiB is { } memory ? Sizes.Memory(memory) : null,
                    s.InstructionSet,
                }.OfType<string>()
            )
        );
        Row("image", s.Image);
        Row("card", s.CardGb is { } gb ? $"{gb} GB card, {Sizes.Binary(Sizes.CardBytes(gb))}" : null);
        Row("supply", s.Supply);
        Row("console adapter", s.Adapter);
        Row("console", s.Console);
        Row("kernel", s.Kernel);
        Row("system", s.Os);
        Row("root device", s.RootDevice);
        Row("host name", s.Hostname);
        Row("addresses", s.Addresses.Count == 0 ? null : string.Join(", ", s.Addresses));
        Row("booted", s.BootedAt.ToString("yyyy-MM-dd HH:mm 'UTC'", CultureInfo.InvariantCulture));
        Row("log, SHA-256", s.LogSha256);
        Line();
        Line("## Times since power");
        Line();
        if (s.StageTimes.Count == 0)
            Line("Not known: the log came without arrival times.");
        foreach (var stage in s.StageTimes)
            Line($"- {Words.Of(stage.Stage)}: {stage.Seconds.ToString("0.0", CultureInfo.InvariantCulture)} s");
        Line();
        Line("## What was changed");
        Line();
        if (s.Changes.Count == 0)
            Line("Nothing.");
        foreach (var change in s.Changes)
            Line($"- {Escape(change)}");
        if (s.Notes.Length > 0)
        {
            Line();
            Line("## Notes");
            Line();
            Line(Escape(s.Notes));
        }
        return text.ToString();
    }

    private static string Escape(string text) => text.Replace("\r", "").Replace("|", "\\|").Replace("<", "&lt;");
}
