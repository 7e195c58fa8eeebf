namespace Buttonhook.Core.Preparing;

/// <summary>How the system is kept: each layout has its own conditions.</summary>
public enum StorageLayout
{
    /// <summary>One system a card; experiments swap cards.</summary>
    OneCard,

    /// <summary>Several systems on one card behind a boot menu.</summary>
    BootMenu,

    /// <summary>The loader on the card, the system on an SSD or a USB stick.</summary>
    LoaderOnCard,

    /// <summary>Proved on a card, then copied into soldered flash.</summary>
    FlashLater,
}
