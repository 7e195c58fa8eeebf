using Buttonhook.Core.Images;

namespace Buttonhook.Core.Preparing;

/// <summary>What a step of a recipe does.</summary>
public enum RecipeAction
{
    /// <summary>Puts a word on the kernel command line, behind another one if it is named.</summary>
    Word,

    /// <summary>Sets a key of the loader's configuration.</summary>
    Set,

    /// <summary>Adds a key=value line to the loader's configuration, beside those of the same key.</summary>
    Append,

    /// <summary>Creates a file of the system with a mode.</summary>
    Create,

    /// <summary>Enables a service.</summary>
    Enable,

    /// <summary>Installs a package.</summary>
    Install,

    /// <summary>Runs a command once, at the first boot.</summary>
    FirstBoot,

    /// <summary>Runs a command at every boot.</summary>
    EveryBoot,
}

/// <summary>One step of a recipe.</summary>
/// <param name="Subject">The word, the key, the path, the service, the package or the command.</param>
/// <param name="Value">The value of a key, or the content of a file.</param>
/// <param name="After">The word that a word must stand behind.</param>
/// <param name="Mode">The mode of a file in octal digits, such as 0755.</param>
public sealed record RecipeStep(RecipeAction Action, string Subject, string? Value, string? After, string? Mode);

/// <summary>Steps by what they do.</summary>
internal static class RecipeSteps
{
    /// <summary>The subjects of all steps with this action, in their order.</summary>
    public static IEnumerable<string> Subjects(this IEnumerable<RecipeStep> steps, RecipeAction action) =>
        steps.Where(s => s.Action == action).Select(s => s.Subject);
}

/// <summary>Where a recipe is known to work and where it is known to fail; empty lists say nothing.</summary>
/// <param name="Boards">Ids of board models.</param>
/// <param name="Systems">Ids or names of systems.</param>
/// <param name="WorksWith">Releases that it was proven with.</param>
/// <param name="FailsWith">Releases that it is known to fail with.</param>
public sealed record RecipeConditions(
    IReadOnlyList<string> Boards,
    IReadOnlyList<string> Systems,
    IReadOnlyList<string> WorksWith,
    IReadOnlyList<string> FailsWith
);

/// <summary>Edits that belong together, with a name: what people copy line by line from web pages.</summary>
public sealed record Recipe(string Format, string Id, string Name, string Why, RecipeConditions When, IReadOnlyList<RecipeStep> Steps)
{
    /// <summary>Format and version of a recipe file.</summary>
    public const string FileFormat = "buttonhook.recipe/1";

    /// <summary>Why it should not be used here, or null when nothing speaks against it.</summary>
    public string? Against(string modelId, ImageProfile image)
    {
        if (When.Boards.Count > 0 && !When.Boards.Contains(modelId))
            return $"{Name} is for other boards ({string.Join(", ", When.Boards)}).";
        if (
            When.Systems.Count > 0
            && !When.Systems.Any(s =>
                image.Name.StartsWith(s, StringComparison.OrdinalIgnoreCase) || image.Id.StartsWith(s, StringComparison.Ordinal)
            )
        )
            return $"{Name} is for other systems ({string.Join(", ", When.Systems)}).";
        return When.FailsWith.Contains(image.Version) ? $"{Name} is known to fail with release {image.Version}." : null;
    }

    /// <summary>Whether it was proven with the release of this image.</summary>
    public bool Proven(ImageProfile image) => When.WorksWith.Contains(image.Version);
}
