// The lab of real boots: starts systems made of a distribution's packages in the emulator, breaks one thing at a time, keeps every byte
// with its truth, makes of them captures as people make them, and packs them. `./buttonhook lab` runs it.
using Buttonhook.Lab;

switch (args)
{
    case ["make", var folder, .. var patterns]:
        return await Making.All(folder, patterns);
    case ["pack", var folder, var file, var good]:
    {
        foreach (var (logs, bytes) in new[] { LabLog.Pack(folder, file), LabLog.PackGood(folder, good) })
            Console.WriteLine($"{logs} logs in {bytes / 1e6:0.0} MB");
        return 0;
    }
    case ["judge" or "fit", var from, var root, .. var rest]:
        return Judging.All(args[0] == "fit", from, root, rest.Contains("--wrong"));
    case ["list"]:
        foreach (var kit in Kits.All())
        foreach (var one in Faults.Of(kit))
            Console.WriteLine($"{kit.Id} {one.Name} {one.Cause}");
        return 0;
    default:
        Console.Error.WriteLine(
            "Expected: make FOLDER [KIT/CASE patterns] | pack FOLDER FILE GOOD | judge LOGS ROOT [--wrong] | fit LOGS ROOT | list"
        );
        return 2;
}
