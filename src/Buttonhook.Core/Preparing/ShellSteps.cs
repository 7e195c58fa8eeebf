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

    /// <summary>Switches a service on, now and for every boot, with the tool of the first program that runs.</summary>
    /// <param name="otherwise">What it is called on other systems, or null.</param>
    public void Enable(string service, string? otherwise = null)
    {
        var names = otherwise is null
            ? FirstBootScript.Quote(service)
            : $"{FirstBootScript.Quote(service)} {FirstBootScript.Quote(otherwise)}";
        Line($"service=; for name in {names}; do");
        Line(
            "\tif [ -d /run/systemd/system ]; then systemctl cat \"$name\" >/dev/null 2>&1; else [ -x \"/etc/init.d/$name\" ]; fi && service=$name && break"
        );
        Line("done");
        Line($"[ -n \"$service\" ] || {{ echo \"firstboot: there is no service {service}\"; false; }}");
        Line("if [ -d /run/systemd/system ]; then systemctl enable \"$service\"; systemctl --no-block start \"$service\"");
        Line("elif command -v rc-update >/dev/null; then rc-update add \"$service\" default; \"/etc/init.d/$service\" restart");
        Line("else update-rc.d \"$service\" enable; \"/etc/init.d/$service\" restart; fi");
    }

    /// <summary>Writes a file with its mode, in a folder that is made.</summary>
    public void File(string path, string mode, string content)
    {
        Line($"mkdir -p {FirstBootScript.Quote(path[..Math.Max(1, path.LastIndexOf('/'))])}");
        Line($"printf '%s' {FirstBootScript.Quote(content)} >{FirstBootScript.Quote(path)}");
        Line($"chmod {mode} {FirstBootScript.Quote(path)}");
    }
}
