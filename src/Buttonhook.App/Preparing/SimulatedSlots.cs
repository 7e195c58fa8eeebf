using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Hardware.Cards;
using Buttonhook.Storage;

namespace Buttonhook.App.Preparing;

/// <summary>The simulated slots that ship: one that is sound, and one for each thing that goes wrong with cards.</summary>
public static class SimulatedSlots
{
    private static readonly (string Id, string Name, SimulatedCardSetup Setup)[] All =
    [
        ("slot-1", "32 GB card, sound", new(32, null, null, null, null, 40)),
        ("slot-2", "64 GB card that holds 8", new(64, 8, null, null, null, 60)),
        ("slot-3", "16 GB card that turns read-only", new(16, null, 300, null, null, 25)),
        ("slot-4", "16 GB card with a bad sector", new(16, null, null, 70, null, 25)),
        ("slot-5", "32 GB card that is pulled out", new(32, null, null, null, 500, 40)),
        ("slot-6", "32 GB card, slow", new(32, null, null, null, null, 4)),
    ];

    /// <summary>Adds those that are not there.</summary>
    public static void Fill(Database database)
    {
        var store = new PreparationStore(database);
        if (store.Slots().Count > 0)
            return;
        foreach (var (id, name, setup) in All)
            store.SetSlot(id, name, JsonSerializer.Serialize(setup, DataFile.Json));
    }
}
