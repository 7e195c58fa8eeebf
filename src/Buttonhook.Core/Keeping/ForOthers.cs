using System.Text;

namespace Buttonhook.Core.Keeping;

/// <summary>Working settings as they leave the bench: what tells of a person's own network and machines stays here unless it is asked for.</summary>
public static class ForOthers
{
    /// <summary>What stands in the place of something that was left out.</summary>
    public const string LeftOut = "(left out)";

    /// <summary>
    /// The settings without first-boot commands, names of wireless networks, and comments of public keys: in the rows, in the files, and in
    /// what a bench is set up from.
    /// </summary>
    public static WorkingSettings Of(WorkingSettings settings)
    {
        var set = settings.Bench?.FirstBoot;
        var own = new List<string>();
        if (set is not null)
        {
            own.AddRange(set.Commands);
            own.AddRange(set.Keys.Select(Comment).OfType<string>());
            if (set.Wireless is { Name.Length: > 0 } radio)
                own.AddRange([radio.Name, Convert.ToHexStringLower(Encoding.UTF8.GetBytes(radio.Name))]);
        }
        own = [.. own.Where(o => o.Length > 0).Distinct().OrderByDescending(o => o.Length)];
        return settings with
        {
            Settings = [.. settings.Settings.Where(s => s.Kind is not ("first.command" or "first.wireless"))],
            Files = [.. settings.Files.Select(f => f with { Text = Without(f.Text, own) })],
            Bench = settings.Bench is null
                ? null
                : settings.Bench with
                {
                    FirstBoot = set is null
                        ? null
                        : set with
                        {
                            Commands = [],
                            Wireless = null,
                            Keys = [.. set.Keys.Select(k => Comment(k) is { } comment ? k[..^comment.Length].TrimEnd() : k)],
                        },
                },
        };
    }

    /// <summary>As it stands in a file: by itself, within quotation marks of YAML, and within those of a shell.</summary>
    private static string Without(string text, List<string> own) =>
        own.SelectMany(o => new[] { o, o.Replace("\\", "\\\\").Replace("\"", "\\\""), o.Replace("'", "'\\''") })
            .Distinct()
            .Aggregate(text, (t, o) => t.Replace(o, LeftOut, StringComparison.Ordinal));

    /// <summary>What stands behind kind and key.</summary>
    private static string? Comment(string key) =>
        key.Split(' ', 3, StringSplitOptions.RemoveEmptyEntries) is [_, _, var comment] ? comment : null;
}
