using System.Globalization;
using Buttonhook.Core.Connecting;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Keeping;

/// <summary>A correction on the card that was on the bench, and what later boots say of it.</summary>
/// <param name="Cause">The name of the cause that it mends.</param>
/// <param name="ProvenBy">The number of the boot that proved it, or null.</param>
public sealed record Mended(string Cause, string Text, int? ProvenBy);

/// <summary>Fills working settings in from a run: what a log proves with its line, what the bench says as claimed, where both differ with both sides.</summary>
public static class SettingsMaker
{
    /// <summary>Settings from a boot; a boot without a login is a problem.</summary>
    public static Answer<WorkingSettings> From(Run run) =>
        run.Reading.LastStage == Stage.Login
            ? Of(run)
            : new Problem(
                "Working settings come from a boot that reached the login.",
                $"This one ended at {StageWords.Of(run.Reading.LastStage)}.",
                "Correct what Diagnose names and boot again."
            );

    /// <summary>What is known of a boot, whether it reached the login or not.</summary>
    public static WorkingSettings Of(Run run)
    {
        var said = RunFacts.Of(run.Log);
        var differ = Contradictions.Of(run.Board, run.Model, run.Image, run.FirstBoot, run.Reading.Facts, said);
        var rows = new Rows(run, said, differ);
        rows.Bench();
        rows.ImageAndProfile();
        rows.ConsoleAndSupply();
        rows.FirstBootFiles();
        rows.System();
        return new WorkingSettings(
            WorkingSettings.FormatName,
            run.Board.Nickname,
            rows.All,
            run.Write?.Applied ?? [],
            new(
                run.Board.ModelId,
                run.Board.RevisionId,
                run.Board.MemoryMiB,
                run.Image?.Id,
                run.Board.Connected,
                run.FirstBoot is { } set ? WithoutSecrets(set) : null,
                [.. run.Recipes.Select(r => r.Id)]
            ),
            "",
            run.LogSha256,
            run.BootedAt
        );
    }

    /// <summary>What is set before the first boot, without what nobody else may read.</summary>
    public static FirstBoot WithoutSecrets(FirstBoot set) =>
        set with
        {
            PasswordHash = null,
            Wireless = set.Wireless is { } w ? w with { Key = "" } : null,
        };

    private sealed class Rows(Run run, RunFacts said, IReadOnlyList<Contradiction> differ)
    {
        private readonly Dictionary<string, int> counted = [];

        public List<Setting> All { get; } = [];

        private Facts Facts => run.Reading.Facts;

        private void Add(string id, string? value, Standing standing, string source, int? line = null) =>
            All.Add(
                value is null
                    ? new(id, SettingNames.Of(id), null, Standing.Unknown, "nobody said it")
                    : new(id, SettingNames.Of(id), value, standing, source, line)
            );

        /// <summary>One of several of a kind; none is no row.</summary>
        private void Each(string kind, string? value, Standing standing, string source, int? line = null)
        {
            if (value is null)
                return;
            counted[kind] = counted.GetValueOrDefault(kind) + 1;
            Add($"{kind}:{counted[kind]}", value, standing, source, line);
        }

        private void Claimed(string id, string? value, string source = "as you say") => Add(id, value, Standing.Claimed, source);

        /// <summary>What bench and log both may say: the log proves it, unless they differ.</summary>
        private void Both(string id, string? bench, string? logged, string claimed, int? line, params string[] about)
        {
            if (differ.FirstOrDefault(d => about.Contains(d.What)) is { } other)
                Add(id, bench ?? logged, Standing.Differs, other.Says, line);
            else if (bench is null && logged is null)
                All.Add(new(id, SettingNames.Of(id), null, Standing.Unknown, "not in the log"));
            else if (logged is null)
                Add(id, bench, Standing.Claimed, claimed);
            else
                Add(id, bench ?? logged, Standing.Proven, "the log", line);
        }

        private int? LineOf(string? text)
        {
            if (text is null)
                return null;
            for (var line = 1; line <= Math.Min(run.Log.LineCount, 20_000); line++)
                if (run.Log.Text(line).Contains(text, StringComparison.OrdinalIgnoreCase))
                    return line;
            return null;
        }

        public void Bench()
        {
            var model = run.Model;
            Both(
                "board.model",
                model.Carrier is null ? model.FullName : $"{model.FullName} on {model.Carrier}",
                Facts.Board,
                "as you say",
                LineOf(Facts.Board),
                "Board"
            );
            Claimed("board.revision", run.Board.RevisionId.Length == 0 ? null : run.Board.RevisionId);
            // What a kernel counts is less than what is fitted.
            Both(
                "board.memory",
                run.Board.MemoryMiB is { } mib ? Sizes.Memory(mib) : null,
                Facts.MemoryBytes is { } bytes && bytes != Facts.ManagedBytes ? Sizes.Binary(bytes) : null,
                "as you say",
                null,
                "Memory"
            );
            Both(
                "board.processor",
                model.InstructionSet?.Words(),
                Facts.Architecture,
                "its profile",
                LineOf(Facts.Architecture),
                "Processor"
            );
            Claimed("board.told-by", run.Board.ToldBy.Count == 0 ? null : Words.ToldBy(run.Board.ToldBy), "Identify");
        }

        public void ImageAndProfile()
        {
            var write = run.Write is { Step: WriteStep.Done } done ? done : null;
            var image = run.Image;
            if (image is null)
                Add("image.name", null, Standing.Unknown, "");
            else if (run.Card == CardState.Written || write is not null)
                Add("image.name", image.Title, Standing.Proven, "written here and read back equal");
            else
                Claimed("image.name", image.Title, run.Card == CardState.Told ? "written elsewhere, as you say" : "as it was chosen");
            if (image is not null)
            {
                if (image.Path is { } path)
                    Claimed("image.file", Path.GetFileName(path), "the image shelf");
                if (image.DownloadBytes > 0)
                    Claimed(
                        "image.bytes",
                        $"{Sizes.Decimal(image.DownloadBytes)}, {Sizes.Decimal(image.ExpandedBytes)} when unpacked",
                        image.Path is null ? "its profile" : "measured here"
                    );
                if (image.Sha256 is { } sum)
                    Add(
                        "image.sha256",
                        sum,
                        image.Path is null ? Standing.Claimed : Standing.Proven,
                        image.Path is null ? "its profile" : "computed here"
                    );
                if (image.Chain is not null || image.RootBy is not null)
                    Claimed(
                        "image.found",
                        string.Join(
                            ", ",
                            new[]
                            {
                                image.Chain is { } c ? $"started by {c}" : null,
                                image.RootBy is { } r ? $"root by {r}" : null,
                            }.OfType<string>()
                        ),
                        "looking inside"
                    );
            }
            if (write?.CardBytes is { } measured)
                Add("card.size", Sizes.Decimal(measured), Standing.Proven, "measured here as it was written");
            else if (said.CardSize is { } counted)
                Add("card.size", counted.Value, Standing.Proven, "the log", counted.Line);
            Claimed("card.label", run.Board.Connected.CardGb is { } gb ? $"{gb} GB" : null);
            if (write is null)
                return;
            Add("card.slot", write.SlotName, Standing.Proven, "written here");
            if (write.Systems is { Count: > 1 } menu)
                Add(
                    "card.layout",
                    $"a menu: {string.Join(", ", menu.Select((s, n) => $"{n + 1} {s.Title} on partition {s.Root}"))}",
                    Standing.Proven,
                    "written here"
                );
            else if (write.DriveKind is { } kind)
                Add(
                    "card.layout",
                    $"the loader alone; the root is on {(kind == "ssd" ? "an SSD" : "a USB drive")}",
                    Standing.Proven,
                    "written here"
                );
            Add(
                "card.written",
                $"{write.StartedAt.UtcDateTime.ToString("yyyy-MM-dd HH:mm 'UTC'", CultureInfo.InvariantCulture)}, read back equal",
                Standing.Proven,
                "written here"
            );
            if (write is { WriteBytesPerSecond: { } w, ReadBytesPerSecond: { } r2 })
                Add(
                    "card.speed",
                    string.Create(CultureInfo.InvariantCulture, $"{w / 1e6:0.0} MB/s written, {r2 / 1e6:0.0} MB/s read"),
                    Standing.Proven,
                    "measured here"
                );
        }

        public void ConsoleAndSupply()
        {
            var (board, model) = (run.Board, run.Model);
            Add("console.port", run.Source, Standing.Proven, "its bytes were read there");
            var adapter = run.Catalogue.Adapter(board.Connected.AdapterId);
            Claimed("console.adapter", adapter?.Name);
            if (adapter is not null && ConsoleWires.Check(adapter, model.Console) is { Wires.Count: > 0, MayBeWired: true } wiring)
                Claimed("console.wires", string.Join("; ", wiring.Wires.Select(w => $"{w.From} to {w.To}")), "the drawing in Connect");
            Claimed("supply.name", run.Catalogue.Supply(board.Connected.SupplyId)?.Name);
            if (run.Catalogue.Cables.FirstOrDefault(c => c.Id == board.Connected.CableId) is { } cable)
                Claimed("supply.cable", cable.Name);
            if (board.Connected.SupplyId is not null)
                Claimed("supply.margin", SupplyCheck.Check(board.Connected, model.Power, run.Catalogue).Text, "computed");
            var parts = (board.Connected.Parts ?? [])
                .Select(id => run.Catalogue.Parts.FirstOrDefault(p => p.Id == id)?.Name)
                .OfType<string>()
                .ToList();
            if (parts.Count > 0)
                Claimed("supply.parts", string.Join(", ", parts));
            foreach (var button in model.Switches)
                Each("before.switch", $"{button.Where}: {button.Setting}", Standing.Claimed, "its profile");
            if (board.Connected.Screen && model.VideoOutputs.FirstOrDefault(v => v.Plug is "before-power" or "after-power") is { } output)
                Each(
                    "before.order",
                    $"screen into {output.Name} {(output.Plug == "before-power" ? "before" : "after")} power",
                    Standing.Claimed,
                    "its profile"
                );
        }

        public void FirstBootFiles()
        {
            if (run.FirstBoot is { } set)
            {
                void Set(string id, string? value, string? logged, int? line, string about)
                {
                    if (value is not null)
                        Both(id, value, logged, "as it was set", line, about);
                }
                Set("first.host", set.HostName, Facts.Hostname, LineOf(Facts.Hostname), "Host name");
                // Who else logged in contradicts nothing.
                Set("first.user", set.User, said.User?.Value == set.User ? set.User : null, said.User?.Line, "User");
                Set(
                    "first.address",
                    set.Address?.Address,
                    set.Address is { } a && Facts.Addresses.Contains(a.Address.Split('/')[0]) ? a.Address : null,
                    LineOf(set.Address?.Address.Split('/')[0]),
                    "Address"
                );
                Set("first.time-zone", set.TimeZone, said.TimeZone?.Value, said.TimeZone?.Line, "Time zone");
                Set("first.locale", set.Locale, said.Locale?.Value, said.Locale?.Line, "Locale");
                Set("first.keyboard", set.Keyboard, said.Keyboard?.Value, said.Keyboard?.Line, "Keyboard");
                if (set.RemoteLogin)
                    Set("first.remote-login", "on", said.RemoteLogin?.Value, said.RemoteLogin?.Line, "Remote login");
                foreach (var key in set.Keys)
                {
                    var seen =
                        LineOf(key.Split(' ') is [_, var body, ..] ? body : key)
                        ?? (said.KeysOf?.Value == set.User ? said.KeysOf?.Line : null);
                    Each(
                        "first.key",
                        ShortKey(key),
                        seen is null ? Standing.Claimed : Standing.Proven,
                        seen is null ? "as it was set" : "the log",
                        seen
                    );
                }
                if (set.Wireless is { } radio)
                    Each("first.wireless", $"{radio.Name}, country {radio.Country}", Standing.Claimed, "as it was set");
                foreach (var overlay in set.Overlays)
                    Each("first.overlay", overlay, Standing.Claimed, "as it was set");
                foreach (var line in set.Lines)
                    Each("first.line", line, Standing.Claimed, "as it was set");
                foreach (var package in set.Packages)
                    Each("first.package", package, Standing.Claimed, "as it was set");
                foreach (var command in set.Commands)
                    Each(
                        "first.command",
                        command,
                        said.FirstBootEnd is null ? Standing.Claimed : Standing.Proven,
                        said.FirstBootEnd is null ? "as it was set" : "the first boot came to its end, and no step failed",
                        said.FirstBootEnd?.Line
                    );
            }
            foreach (var recipe in run.Recipes)
                Each("first.recipe", recipe.Name, Standing.Claimed, "as it was chosen");
            foreach (var file in run.Write is { Step: WriteStep.Done, Files: var files } ? files : [])
                Each("first.file", file, Standing.Proven, "written here");
        }

        /// <summary>A public key in short: its kind, and the end of what makes it different.</summary>
        private static string ShortKey(string key) =>
            key.Split(' ', StringSplitOptions.RemoveEmptyEntries) is [var kind, var body, ..]
                ? $"{kind} …{body[^Math.Min(12, body.Length)..]}"
                : "a key";

        public void System()
        {
            if (said.CommandLine is { } command)
                Add("system.command-line", command.Value, Standing.Proven, "the log", command.Line);
            Both("system.kernel", null, Facts.Kernel, "", LineOf(Facts.Kernel), "Kernel");
            Both("system.name", null, Facts.Os, "", LineOf(Facts.Os));
            var root = KernelCommandLine.RootOf(said.CommandLine?.Value) ?? Facts.BootMedium;
            Both("system.root", null, root, "", said.CommandLine?.Line ?? LineOf(root), "Root");
            if (said.Mounted is { } mounted)
                Add("system.mounted", mounted.Value, Standing.Proven, "the log", mounted.Line);
            Both("system.host", null, Facts.Hostname, "", LineOf(Facts.Hostname), "Host name");
            if (said.User is { } user)
                Both("system.user", null, user.Value, "", user.Line, "User");
            void Told(string id, Said? told)
            {
                if (told is not null)
                    Add(id, told.Value, Standing.Proven, "the log", told.Line);
            }
            if (said.TimeZone is { } zone)
                Both("system.time-zone", null, zone.Value, "", zone.Line, "Time zone");
            Told("system.locale", said.Locale);
            Told("system.keyboard", said.Keyboard);
            Told("system.root-size", said.RootSize);
            if (Facts.ManagedBytes is { } managed)
                Add("system.memory", Sizes.Binary(managed), Standing.Proven, "the log", LineOf("Memory: "));
            if (said.Heat is { } heat)
                Add("system.heat", heat.Value, Standing.Proven, "the log", heat.Line);
            // Times of a board that ran already when its console was opened are none.
            foreach (var stage in run.Reading.StageLines.Where(s => s.Milliseconds is not null && run.Reading.StartSeen))
                Add(
                    $"time.{StageWords.Of(stage.Stage).Replace(' ', '-')}",
                    string.Create(CultureInfo.InvariantCulture, $"{stage.Milliseconds!.Value / 1000.0:0.0} s"),
                    Standing.Proven,
                    "the log",
                    stage.Line
                );
            if (run.Starts is { Counted: > 1, Says: { } starts } series)
                Add(
                    "time.starts",
                    starts,
                    Standing.Proven,
                    "the log",
                    series.All.Last(s => s.Came is StartCame.Up or StartCame.Failed).Line
                );
            // What the log told by itself stands already, and each of its addresses in a row of its own.
            foreach (
                var told in (run.Read ?? []).Where(t =>
                    t.Value is not null
                    && !(t.Setting == "network.read" && Facts.Addresses.Count > 0)
                    && !All.Exists(s => s.Id == t.Setting && s.Value is not null)
                )
            )
            {
                All.RemoveAll(s => s.Id == told.Setting);
                Add(told.Setting, told.Value!, Standing.Proven, "the system, when it was read", told.Line);
            }
            Told("network.interface", said.Interface);
            foreach (var address in Facts.Addresses)
                Each("network.address", address, Standing.Proven, "the log", LineOf(address));
            foreach (var mend in run.Mended)
                if (mend.ProvenBy is { } boot)
                    Each("met.fixed", $"{mend.Cause}: {mend.Text}", Standing.Proven, $"boot {boot} went on");
                else
                    Each("met.changed", $"{mend.Cause}: {mend.Text}", Standing.Claimed, "as it was noted");
            foreach (var photo in run.Photos ?? [])
                Each("more.photo", photo, Standing.Claimed, "the photos of this board");
            foreach (var quirk in run.Model.Quirks)
                Each("more.quirk", quirk.Text, Standing.Claimed, quirk.Source);
        }
    }
}
