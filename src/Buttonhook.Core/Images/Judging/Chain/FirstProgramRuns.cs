using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Images.Judging.Chain;

/// <summary>The first program of the root is there and runs on this board.</summary>
internal sealed class FirstProgramRuns : ILink
{
    public string Name => "first program";

    public void Check(DryRun run)
    {
        var (h, volume, tree) = (run.Handover!, run.Root!, run.Tree!);
        var named = run.Arguments.Last("init");
        var path = named ?? "/sbin/init";
        var where = named is null ? volume.Name(path) : h.Where;
        if (tree.Find(path) is not { } entry)
        {
            // Systems whose programs all lie below /usr reach them through links at the top.
            var top = path.Split('/', StringSplitOptions.RemoveEmptyEntries)[0];
            var lost = path.Count(c => c == '/') > 1 && tree.Find($"/{top}") is null && tree.Find($"/usr{path}") is not null;
            run.Fail(
                Stage.Root,
                CauseIds.InitMissing,
                lost
                    ? $"{DryRun.Shown(path)} is not on the root, while /usr{path} is: the link /{top} to usr/{top} is lost."
                    : $"{DryRun.Shown(path)} is not on the root.",
                lost ? $"Put the link back (ln -s usr/{top} /{top})."
                    : named is null ? "Put /sbin/init back."
                    : "Take init= off the command line.",
                where,
                named is null || lost ? null : FileEdit.At(h.Where, $"init={named}", "")
            );
            return;
        }
        if (entry.IsFolder || (!entry.IsExecutable && tree.Kind != "vfat"))
        {
            run.Fail(Stage.Root, CauseIds.InitMissing, $"{path} may not be executed.", "Make it executable (chmod +x).", where);
            return;
        }
        var (set, wrong) = Programs.Look(path, p => tree.Read(p, 4096));
        var foreign = set is { } other && !run.RunsOn(other);
        var lacking = wrong is null && !foreign ? Lacking(tree, path) : null;
        if (foreign)
            run.Fail(
                Stage.Root,
                CauseIds.InitWrongArchitecture,
                $"{path} is for {set!.Value.Words()}, the board is {run.Board.Architecture.Words()}.",
                "Use the image made for this instruction set.",
                volume.Name(path)
            );
        else if ((wrong ?? lacking) is not null && Replaced(tree) is { } folder)
            run.Fail(
                Stage.Root,
                CauseIds.InitMissing,
                $"{(wrong is null ? "" : $"{path} cannot start: {wrong}. ")}/{folder} is a folder of its own, and the system lies in /usr/{folder}: the link /{folder} to usr/{folder} was replaced (by a copy, or by an archive that was unpacked over it), so programs find neither their loader nor their libraries.",
                $"Move what is in /{folder} to /usr/{folder}, then put the link back (ln -s usr/{folder} /{folder}).",
                volume.Name($"/{folder}")
            );
        else if (wrong is not null)
            run.Fail(Stage.Root, CauseIds.InitMissing, $"{path} cannot start: {wrong}.", "Put it back.", volume.Name(path));
        else if (lacking is { } library)
            run.Fail(
                Stage.Root,
                CauseIds.InitCrashed,
                $"{path} needs the library {library}, which is in no folder where libraries are looked for: it ends at once, and the kernel panics (Attempted to kill init).",
                "Put the library back, or write the image again.",
                volume.Name(path)
            );
        else
            run.Pass(Stage.Root, $"{path} is there and runs on this board.", volume.Name(path));
    }

    /// <summary>The folder at the top that stands where a link into /usr belongs, while others are such links; null when there is none.</summary>
    internal static string? Replaced(FileTree tree)
    {
        string[] tops = ["lib", "lib64", "bin", "sbin"];
        bool IsLink(string top) => tree.IsLink($"/{top}");
        return tops.Any(IsLink)
            ? tops.FirstOrDefault(t =>
                !IsLink(t) && tree.Find($"/{t}") is { IsFolder: true } && tree.Find($"/usr/{t}") is { IsFolder: true }
            )
            : null;
    }

    /// <summary>A library that the program names and that lies nowhere (ld.so(8)); null when all are there, or it cannot be told.</summary>
    private static string? Lacking(FileTree tree, string path)
    {
        if (tree.Read(path, 16 << 20) is not { } file || Elf.Interpreter(file) is null)
            return null;
        var (needed, own) = Elf.Libraries(file);
        if (needed.Count == 0)
            return null;
        var folders = new List<string>(own.Where(f => f.StartsWith('/')));
        foreach (var top in (string[])["/lib", "/usr/lib", "/lib64", "/usr/lib64", "/usr/local/lib"])
        {
            folders.Add(top);
            folders.AddRange(tree.List(top).Where(n => n.Contains("-linux-", StringComparison.Ordinal)).Select(n => $"{top}/{n}"));
        }
        foreach (var name in tree.List("/etc/ld.so.conf.d"))
            folders.AddRange(
                System
                    .Text.Encoding.UTF8.GetString(tree.Read($"/etc/ld.so.conf.d/{name}", 1 << 16) ?? [])
                    .Split('\n')
                    .Select(l => l.Trim())
                    .Where(l => l.StartsWith('/'))
            );
        return needed.FirstOrDefault(n => !folders.Exists(f => tree.Find($"{f}/{n}") is not null));
    }
}

/// <summary>Nothing on the command line makes systemd start something else than the system (systemd-run-generator(8), systemd(1) kernel command line).</summary>
internal sealed class SystemIsAsked : ILink
{
    public string Name => "what is started";

    private static readonly Dictionary<string, string> Targets = new()
    {
        ["emergency"] = "emergency.target",
        ["-b"] = "emergency.target",
        ["rescue"] = "rescue.target",
        ["single"] = "rescue.target",
        ["s"] = "rescue.target",
        ["S"] = "rescue.target",
        ["1"] = "rescue.target",
    };

    public void Check(DryRun run)
    {
        var (h, arguments) = (run.Handover!, run.Arguments);
        if (!run.Tree!.HasSystemd)
            return;
        if (arguments.Last("systemd.run") is { } command)
        {
            var after = arguments.Last("systemd.run_success_action")?.TrimEnd('\r') ?? "exit";
            run.Fail(
                Stage.Services,
                CauseIds.GettyMissing,
                $"systemd.run={DryRun.Shown(command)} makes systemd start this one command instead of the system, at every boot; "
                    + (after == "none" ? "no login comes behind it." : $"behind it the board goes down ({after})."),
                "Take systemd.run= off the command line.",
                h.Where,
                FileEdit.At(h.Where, $"systemd.run={command}", "")
            );
            return;
        }
        var word = arguments.Words.Select(w => w.TrimEnd('\r')).LastOrDefault(Targets.ContainsKey);
        var unit = arguments.Last("systemd.unit")?.TrimEnd('\r') ?? (word is null ? null : Targets[word]);
        if (unit is "emergency.target" or "rescue.target")
            run.Warn(
                Stage.Login,
                CauseIds.GettyMissing,
                $"The command line asks for {unit}: a shell for repairs comes instead of the system.",
                "Take the word off the command line.",
                h.Where,
                word is null ? FileEdit.At(h.Where, $"systemd.unit={arguments.Last("systemd.unit")}", "") : FileEdit.At(h.Where, word, "")
            );
    }
}

/// <summary>The root has the modules of the kernel that is started.</summary>
internal sealed class ModulesFitKernel : ILink
{
    public string Name => "modules of the kernel";

    public void Check(DryRun run)
    {
        if (run.Handover!.Kernel.Version is not { } version || run.Tree!.List("/lib/modules") is not { Count: > 0 } versions)
            return;
        if (versions.Contains(version))
            run.Pass(Stage.Services, $"The root has the modules of the kernel {version}.", run.Root!.Name($"/lib/modules/{version}"));
        else
            run.Warn(
                Stage.Services,
                CauseIds.ServiceFailed,
                $"The kernel is {version}, and the modules on the root are for {string.Join(" and ", versions.Order(StringComparer.Ordinal))}: no driver that is a module will load (network and USB devices often are).",
                "Start the kernel that the modules are for, or install the modules of this one.",
                run.Root!.Name("/lib/modules")
            );
    }
}
