using System.Text;

namespace Buttonhook.Core.Preparing;

/// <summary>Steps of a first-boot script: functions that run once each, in their order.</summary>
internal sealed class ShellSteps
{
    private readonly StringBuilder functions = new();
    private readonly List<string> names = [];
    private readonly List<string> body = [];

    /// <summary>The names of the steps.</summary>
    public IReadOnlyList<string> Names => names;

    /// <summary>The functions, and what runs them.</summary>
    public string Text => $"{functions}{string.Concat(names.Select(n => $"once {n}\n"))}";

    /// <summary>Adds a line to the step that is being written.</summary>
    public void Line(string line) => body.Add(line);

    /// <summary>Ends the step. Names end in a number where there may be several; a function called command would hide the shell's own.</summary>
    public void Step(string name, bool several = false)
    {
        var unique = several ? $"{name}_{names.Count(n => n.StartsWith(name + "_", StringComparison.Ordinal)) + 1}" : name;
        names.Add(unique);
        functions.Append(unique).Append("() {\n");
        foreach (var line in body)
            functions.Append('\t').Append(line).Append('\n');
        functions.Append("}\n");
        body.Clear();
    }

    /// <summary>Switches a service on, now and for every boot.</summary>
    public void Enable(string service)
    {
        Line($"systemctl enable {FirstBootScript.Quote(service)}");
        Line($"systemctl --no-block start {FirstBootScript.Quote(service)}");
    }

    /// <summary>Writes a file with its mode, in a folder that is made.</summary>
    public void File(string path, string mode, string content)
    {
        Line($"mkdir -p {FirstBootScript.Quote(path[..Math.Max(1, path.LastIndexOf('/'))])}");
        Line($"printf '%s' {FirstBootScript.Quote(content)} >{FirstBootScript.Quote(path)}");
        Line($"chmod {mode} {FirstBootScript.Quote(path)}");
    }
}
