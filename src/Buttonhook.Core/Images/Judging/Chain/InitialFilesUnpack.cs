using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Judging.Chain;

/// <summary>The initial file system unpacks as the kernel unpacks it, and its first program runs here.</summary>
internal sealed class InitialFilesUnpack : ILink
{
    public string Name => "initial file system";

    public void Check(DryRun run)
    {
        if (run.Handover is not { InitialFiles: { } loaded } || run.Initial is not { } initial)
            return;
        var first = run.Arguments.Last("rdinit") ?? "/init";
        var named = run.Arguments.Last("rdinit") is not null;
        var (architecture, wrong) = Programs.Look(first, p => initial.Find(p));
        if (initial.Fault is { } fault)
        {
            // What came before the fault is there, and is started when its first program is among it.
            if (wrong is null && initial.Complete)
                run.Pass(
                    Stage.Kernel,
                    $"The kernel will tell that it cannot unpack all of it ({fault}); what counts came before.",
                    loaded.Where
                );
            else
            {
                var text = $"The initial file system cannot be unpacked: {fault}.";
                const string Again = "Make the initial file system again, or copy it again.";
                if (Drivers.KernelAlone(run))
                {
                    run.Warn(Stage.Kernel, CauseIds.InitrdCorrupt, $"{text} The kernel comes to the root without it.", Again, loaded.Where);
                    run.Initial = null;
                }
                else
                {
                    run.Fail(Stage.Kernel, CauseIds.InitrdCorrupt, text, Again, loaded.Where);
                    Lost(run);
                }
                return;
            }
        }
        if (wrong is not null && !named && initial.Find("/init") is null && initial.OnlyFirmware)
        {
            run.Handover = run.Handover! with
            {
                InitialFilesMissing = $"{loaded.Where} holds nothing but what comes before one (early microcode)",
            };
            run.Initial = null;
        }
        else if (architecture is { } set && !run.RunsOn(set))
            run.Fail(
                Stage.Root,
                CauseIds.InitWrongArchitecture,
                $"The first program of the initial file system is for {set.Words()}.",
                "Make the initial file system for this board.",
                $"{loaded.Where} {first}"
            );
        else if (wrong is not null)
            run.Fail(
                Stage.Root,
                named ? CauseIds.InitMissing : CauseIds.InitrdCorrupt,
                $"The initial file system cannot start: {wrong}.",
                "Make the initial file system again.",
                $"{loaded.Where} {first}"
            );
        else
            run.Pass(Stage.Root, "The initial file system unpacks and its first program runs here.", loaded.Where);
    }

    private static void Lost(DryRun run)
    {
        run.Initial = null;
        run.InitialLost = true;
    }
}
