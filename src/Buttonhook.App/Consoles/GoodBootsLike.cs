using Buttonhook.Core.Images;
using Buttonhook.Storage;

namespace Buttonhook.App.Consoles;

/// <summary>The good boots to compare a boot with.</summary>
public sealed class GoodBootsLike(BootStore boots, Catalogue catalogue)
{
    /// <summary>Those nearest to a boot, and what they have in common with it; null without any.</summary>
    /// <param name="timed">Whether only those with times serve: they tell what is usual.</param>
    public (IReadOnlyList<Boot> Boots, string? Of) To(Boot boot, bool timed) =>
        boots.GoodLike(
            boot,
            catalogue.Model(boot.ModelId) is { InstructionSet: not null } model
                ? [.. catalogue.Models.Where(m => m.InstructionSet == model.InstructionSet).Select(m => m.Id)]
                : [boot.ModelId],
            timed
        );
}
