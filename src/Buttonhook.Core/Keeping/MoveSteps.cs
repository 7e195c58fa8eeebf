using System.Globalization;
using System.Security.Cryptography;
using System.Text;

namespace Buttonhook.Core.Keeping;

/// <summary>The steps of a move, made of what the running system shows: its own names, its own table, its own mount table.</summary>
public static class MoveSteps
{
    private const long Spare = 256L << 20;
    private const string LinuxData = "0fc63daf-8483-4772-8e79-3d69d8477de4";

    /// <summary>The disks beside the one that the root lies on, each with why it cannot be the target.</summary>
    public static IReadOnlyList<MoveCandidate> Candidates(MoveTarget target, DiskLook? look)
    {
        if (look?.Source is not { } source)
            return [];
        return
        [
            .. look
                .Devices.Where(d => d.Type == "disk" && d.Name != source.Name && d.Bytes > 0 && !IsPart(d.Name))
                .Where(d => MovePlan.Is(target, d.Path) != false || target == MoveTarget.Flash && IsCard(d.Name))
                .Select(d => new MoveCandidate(
                    d.Path,
                    d.Bytes,
                    d.Model,
                    d.Bus,
                    Math.Round(d.Bytes / 1e9).ToString(CultureInfo.InvariantCulture),
                    d.ReadOnly ? "It is read-only."
                        : look.IsUsed(d) ? "Something on it is mounted or in use."
                        : look.UsedBytes + Spare > d.Bytes
                            ? $"The root holds {Sizes.Binary(look.UsedBytes)}; this has {Sizes.Binary(d.Bytes)}."
                        : null
                )),
        ];
    }

    private static bool IsCard(string name) => name.StartsWith("mmcblk", StringComparison.Ordinal);

    /// <summary>Parts of a flash that only its own loader uses (eMMC hardware partitions).</summary>
    private static bool IsPart(string name) =>
        name.Contains("boot", StringComparison.Ordinal) || name.Contains("rpmb", StringComparison.Ordinal);

    /// <summary>The steps as far as they can be told: first what the system shows, then, for a disk that was confirmed, all of them.</summary>
    /// <param name="starts">Whether the ROM starts from the target.</param>
    public static IReadOnlyList<MoveStep> Of(MoveTarget target, bool starts, MoveSight sight, IReadOnlyList<MoveCandidate> candidates)
    {
        var steps = new List<MoveStep>();
        if (target != MoveTarget.Flash)
            steps.Add(
                new(
                    "Fit the drive.",
                    null,
                    "Power off before a drive is fitted; touch grounded metal first. Mind its screws: a bare drive that slips shorts."
                )
            );
        steps.Add(
            Step(sight, "disks", "Ask the running system for its disks. It only reads; names and sizes below come from its answer.") with
            {
                State = sight.Look is null ? LoginTaskState.Open : LoginTaskState.Proven,
                Line = sight.Look?.Line,
            }
        );
        if (sight.Look is not { } look || sight.Device is not { } device)
            return steps;
        if (candidates.FirstOrDefault(c => c.Device == device) is not { Refused: null } chosen)
            return [.. steps, new($"{device} is not among the disks that can be written now. Ask again.", null, null)];
        var plan = Layout.Of(look, chosen, sight.Seed, starts);
        if (plan.Value is not { } made)
            return [.. steps, new(plan.Problem!.ToString(), null, null, LoginTaskState.Failed)];
        steps.AddRange(made.Steps(sight));
        steps.Add(new("Switch the board off: poweroff.", null, "Wait until it says so before the supply is pulled."));
        steps.Add(
            starts
                ? new("Take the card out and lay it aside: it is the rescue, and nothing on it was changed.", null, null)
                : new("Leave the card in: it starts the board.", null, null)
        );
        steps.Add(new("Boot it here: the log shows from where the root was really mounted.", null, null));
        return steps;
    }

    /// <summary>A step with its command, ticked by what the console shows behind the look.</summary>
    private static MoveStep Step(MoveSight sight, string id, string text, string? caution = null, params (string, string)[] words)
    {
        var command = sight.Book.Of(id, null)!;
        var step = new MoveStep(text, command.Line(!sight.IsRoots, words), caution);
        var (proof, failed) = (command.Proves(words), command.Fails(words));
        for (var line = sight.Look?.Line + 1; line <= sight.Log?.LineCount; line++)
        {
            var said = sight.Log.Text(line.Value).TrimEnd();
            if (proof?.IsMatch(said) == true)
                step = step with { State = LoginTaskState.Proven, Line = line, Tells = null };
            else if (failed?.IsMatch(said) == true)
                step = step with { State = LoginTaskState.Failed, Line = line, Tells = said.Trim() };
        }
        return step;
    }

    /// <summary>What becomes what: the partitions of the source, and those that are made.</summary>
    private sealed record Layout(
        DiskLook Look,
        MoveCandidate Target,
        bool Gpt,
        LookedDevice? Boot,
        LookedDevice Root,
        LookedDevice RootPart,
        string Seed,
        bool Starts
    )
    {
        public static Answer<Layout> Of(DiskLook look, MoveCandidate target, string seed, bool starts)
        {
            Problem Not(string expected, string came) =>
                new(expected, came, "Copy it in another way, or start from a fresh image on the new medium.");
            if (look is not { Source: { } source, RootDevice: { } root })
                return Not("The root lies on one disk.", $"It is mounted from {look.Root}.");
            var parts = look.PartsOf(source);
            var rootPart = root.Type == "part" ? root : parts.FirstOrDefault(p => p.Name == root.Parent);
            if (parts.Count is 0 or > 2 || rootPart is null || rootPart.Name != parts[^1].Name)
                return Not(
                    "A card with one or two partitions is copied, the root being the last one.",
                    $"{source.Path} has {parts.Count}, and the root is {look.Root}."
                );
            if (look.RootType is not ("ext4" or "btrfs"))
                return Not("A root of ext4 or btrfs is copied.", $"It is {look.RootType}.");
            if (look.RootType == "btrfs" && !look.RootOptions.Split(',').Any(o => o is "subvol=/" or "subvolid=5"))
                return Not("A btrfs root at the top of its file system is copied.", $"This one is mounted with {look.RootOptions}.");
            if (source.Table is not ("gpt" or "dos"))
                return Not("A partition table is MBR or GPT.", $"This one is {source.Table}.");
            if (look.Tools.Contains("grub-for-bios"))
                return Not(
                    "A loader that this plan can install is on the card.",
                    "GRUB for a BIOS is on it, which is not installed by this plan."
                );
            var boot = parts.Count == 2 ? parts[0] : null;
            if (boot is not null && boot.FileSystem is not ("vfat" or "ext4"))
                return Not(
                    "A boot partition has vfat or ext4.",
                    $"{boot.Path} has {(boot.FileSystem.Length > 0 ? boot.FileSystem : "none that is known")}."
                );
            if (
                look
                    .Fstab.Select(l => l.Split([' ', '\t'], StringSplitOptions.RemoveEmptyEntries))
                    .Any(f =>
                        f is [var spec, "/", ..]
                        && !spec.All(c => char.IsAsciiLetterOrDigit(c) || c is '=' or '/' or '-' or '_' or '.' or ':')
                    )
            )
                return Not("The mount table names the root by a device or an identifier.", "It names it in another way.");
            if (look.Files.Contains("/etc/crypttab"))
                return Not("A root that is not encrypted is copied.", "/etc/crypttab names its disk.");
            var wanted = new[] { "sfdisk", "wipefs", $"mkfs.{look.RootType}", boot is null ? "sfdisk" : $"mkfs.{boot.FileSystem}" };
            if (wanted.Except(look.Tools).ToList() is { Count: > 0 } missing)
                return Not("The system has the tools for it.", $"It has no {string.Join(" and no ", missing)}.");
            var grub = look.Files.Contains("/boot/grub/grub.cfg");
            if (
                starts
                && grub
                && (
                    boot is null
                    || !look.Tools.Contains("grub-install")
                    || !look.Tools.Contains("update-grub")
                    || !look.Tools.Contains("efi-firmware")
                )
            )
                return Not("GRUB is installed anew on the copy, by its own tools and for EFI.", "They are not all there.");
            return new Layout(look, target, source.Table == "gpt", boot, root, rootPart, seed, starts);
        }

        private string Id(string what)
        {
            var bytes = SHA256.HashData(Encoding.UTF8.GetBytes($"{Seed} {Target.Device} {what}"));
            // Version 4 and the variant of RFC 9562, so that every tool takes it.
            bytes[7] = (byte)(bytes[7] & 0x0F | 0x40);
            bytes[8] = (byte)(bytes[8] & 0x3F | 0x80);
            return new Guid(bytes.AsSpan(0, 16)).ToString();
        }

        private string RootId => Id("root");

        /// <summary>An identifier of ext4 is a UUID, of vfat eight hexadecimal digits.</summary>
        private string BootId => Boot?.FileSystem == "vfat" ? Id("boot")[..8].ToUpperInvariant().Insert(4, "-") : Id("boot");

        private string DiskId => Gpt ? Id("disk") : Id("disk")[..8];

        private string PartId(int number) => Gpt ? Id($"part {number}") : $"{DiskId}-{number:00}";

        private string Part(int number) => char.IsAsciiDigit(Target.Device[^1]) ? $"{Target.Device}p{number}" : $"{Target.Device}{number}";

        /// <summary>Only the root moves where the ROM does not start from the target.</summary>
        private bool Whole => Starts;

        private string NewRoot => Part(Whole && Boot is not null ? 2 : 1);

        private string Guard =>
            $"[ \"$(lsblk -bdno SIZE {Target.Device})\" = {Target.Bytes} ] && [ \"$(findmnt -no SOURCE /)\" = \"{Look.Root}\" ] && ! lsblk -no MOUNTPOINT {Target.Device} | grep -q . || {{ echo \"refused: the disks are not those that were confirmed\"; exit 1; }};";

        private string Table()
        {
            var script = new StringBuilder(Gpt ? $"label: gpt\\nlabel-id: {DiskId}\\n" : $"label: dos\\nlabel-id: 0x{DiskId}\\n");
            void Line(int number, long? start, long? size, string type) =>
                script
                    .Append(
                        string.Join(
                            ',',
                            new[]
                            {
                                start is null ? null : string.Create(CultureInfo.InvariantCulture, $"start={start}"),
                                size is null ? null : string.Create(CultureInfo.InvariantCulture, $"size={size}"),
                                $"type={type}",
                                Gpt ? $"uuid={PartId(number)}" : null,
                            }.OfType<string>()
                        )
                    )
                    .Append("\\n");
            var rootType = Gpt
                ? Root.Type == "part" && RootPart.PartType.Length > 0
                    ? RootPart.PartType
                    : LinuxData
                : "83";
            if (Whole && Boot is not null)
                Line(1, Boot.Start, Boot.Bytes / 512, Gpt ? Boot.PartType : Boot.PartType.Replace("0x", "", StringComparison.Ordinal));
            Line(Whole && Boot is not null ? 2 : 1, Whole ? RootPart.Start : null, null, rootType);
            return script.ToString();
        }

        /// <summary>What stands for a file system in a mount table or on a command line, of those that the card has.</summary>
        private static bool Names(LookedDevice device, string spec) =>
            spec.Trim('"') is var s
            && (
                s == device.Path
                || s == $"/dev/mapper/{device.Name}"
                || device.Uuid.Length > 0 && (s == $"UUID={device.Uuid}" || s == $"/dev/disk/by-uuid/{device.Uuid}")
                || device.PartUuid.Length > 0 && (s == $"PARTUUID={device.PartUuid}" || s == $"/dev/disk/by-partuuid/{device.PartUuid}")
                || device.Label.Length > 0 && (s == $"LABEL={device.Label}" || s == $"/dev/disk/by-label/{device.Label}")
            );

        /// <summary>The entries of the mount table that name a file system of the card, and what each becomes; comments and all others stay (fstab(5)).</summary>
        private IEnumerable<(string Old, string New, string Mount)> Mounts() =>
            Look
                .Fstab.Select(l => l.Split([' ', '\t'], StringSplitOptions.RemoveEmptyEntries))
                .Where(f => f.Length >= 2 && !f[0].StartsWith('#'))
                .Select(f =>
                    f[1] == "/" || Names(Root, f[0]) || Names(RootPart, f[0]) ? (f[0], $"UUID={RootId}", f[1])
                    : Whole && Boot is not null && Names(Boot, f[0]) ? (f[0], $"UUID={BootId}", f[1])
                    : ("", "", "")
                )
                .Where(e => e.Item1.Length > 0)
                .Distinct();

        private string Label(string label, int most)
        {
            // cloud-init finds its files by this label; any other may not stand on two media.
            if (label.Length == 0 || label.Equals("CIDATA", StringComparison.OrdinalIgnoreCase))
                return label;
            return (label.Length > most - 2 ? label[..(most - 2)] : label) + "-2";
        }

        private string Make()
        {
            static string Named(string option, string label) => label.Length == 0 ? "" : $" {option} \"{label}\"";
            var root =
                Look.RootType == "btrfs"
                    ? $"mkfs.btrfs -q -f -U {RootId}{Named("-L", Label(Root.Label, 64))} {NewRoot}"
                    : $"mkfs.ext4 -q -F -U {RootId}{Named("-L", Label(Root.Label, 16))} {NewRoot}";
            return !Whole || Boot is null
                ? root
                : (
                    Boot.FileSystem == "vfat"
                        ? $"mkfs.vfat -i {BootId.Replace("-", "", StringComparison.Ordinal)}{Named("-n", Label(Boot.Label, 11))} {Part(1)} >/dev/null"
                        : $"mkfs.ext4 -q -F -U {BootId}{Named("-L", Label(Boot.Label, 16))} {Part(1)}"
                ) + $" && {root}";
        }

        private string? BootMount =>
            Boot is null ? null
            : Boot.Mount.Length > 0 ? Boot.Mount
            : Mounts().FirstOrDefault(m => m.New == $"UUID={BootId}").Mount;

        private string CopyBoot()
        {
            if (!Whole || Boot is null)
                return "";
            var at = $"/run/copy{(BootMount is { Length: > 1 } mount ? mount : "/mnt")}";
            return Boot.Mount.Length > 0
                ? $"mkdir -p {at} && mount {Part(1)} {at} && cp -r {Boot.Mount}/. {at}/ && "
                : $"mkdir -p {at} /run/oldboot && mount {Part(1)} {at} && mount -o ro {Boot.Path} /run/oldboot && cp -r /run/oldboot/. {at}/ && umount /run/oldboot && ";
        }

        /// <summary>The identifiers that files may name, and what each becomes.</summary>
        private IEnumerable<(string Old, string New)> Identifiers()
        {
            if (Root.Uuid.Length > 0)
                yield return (Root.Uuid, RootId);
            if (RootPart.PartUuid.Length > 0)
                yield return (RootPart.PartUuid, PartId(Whole && Boot is not null ? 2 : 1));
            if (!Whole || Boot is null)
                yield break;
            if (Boot.Uuid.Length > 0)
                yield return (Boot.Uuid, BootId);
            if (Boot.PartUuid.Length > 0)
                yield return (Boot.PartUuid, PartId(1));
        }

        public IEnumerable<MoveStep> Steps(MoveSight sight)
        {
            (string, string)[] guard = [("guard", Guard), ("target", Target.Device)];
            var size = $"{Target.Device}, {Sizes.Decimal(Target.Bytes)}{(Target.Model.Length > 0 ? $", {Target.Model}" : "")}";
            yield return Step(
                sight,
                "table",
                $"Write a new partition table ({(Gpt ? "GPT" : "MBR")}) onto {size}. The root takes all of it.",
                $"This erases {Target.Device}. It looks first whether that is still the disk that you confirmed, and nothing of it is mounted.",
                [.. guard, ("table", Table())]
            );
            var first = (Boot ?? RootPart).Start ?? 0;
            var from = Gpt ? 34 : 1;
            if (Whole && !Look.Tools.Contains("efi-firmware") && first > from)
                yield return Step(
                    sight,
                    "loader-area",
                    $"Copy the loader that lies before the first partition (sectors {from} to {first - 1}).",
                    null,
                    [
                        .. guard,
                        ("source", Look.Source!.Path),
                        ("from", from.ToString(CultureInfo.InvariantCulture)),
                        ("count", (first - from).ToString(CultureInfo.InvariantCulture)),
                    ]
                );
            yield return Step(
                sight,
                "file-systems",
                "Make file systems with identifiers of their own.",
                null,
                [.. guard, ("make", Make())]
            );
            yield return Step(
                sight,
                "copy",
                $"Copy all files of the root ({Sizes.Binary(Look.UsedBytes)}){(Whole && Boot is not null ? " and of the boot partition" : "")} while little runs.",
                "It takes minutes and is silent. Cut power only when you must: the card is not written, but the copy is then half.",
                [.. guard, ("newroot", NewRoot), ("boot", CopyBoot())]
            );
            var mounts = Mounts().ToList();
            var files = Look
                .Files.Where(f => Whole || f.StartsWith("/etc/", StringComparison.Ordinal))
                .Select(f => f.TrimStart('/'))
                .ToList();
            var named = Identifiers().ToList();
            var sed =
                files.Count == 0
                    ? ""
                    : $"sed -i {string.Join(' ', named.Select(n => $"-e s/{n.Old}/{n.New}/g"))}{(Look.Root.StartsWith("/dev/", StringComparison.Ordinal) ? $" -e s#root={Look.Root}#root=UUID={RootId}#g" : "")} {string.Join(' ', files)} && ";
            yield return Step(
                sight,
                "edits",
                $"Let the copy name its own file systems: in /etc/fstab {string.Join(", ", mounts.Select(m => $"{m.Old} becomes {m.New} ({m.Mount})"))}{(files.Count > 0 ? $"; in {string.Join(", ", files.Select(f => "/" + f))} {string.Join(", ", named.Select(n => $"{n.Old} becomes {n.New}"))}" : "")}.",
                null,
                ("awk", string.Concat(mounts.Select(m => $"\\$1==\\\"{m.Old}\\\"{{sub(/[^ \\t]+/,\\\"{m.New}\\\")}}")) + "{print}"),
                ("sed", sed),
                ("old", string.Join(' ', named.Select(n => $"-e {n.Old}"))),
                ("files", string.Join(' ', files))
            );
            if (Whole && Look.Files.Contains("/boot/grub/grub.cfg"))
                yield return Step(
                    sight,
                    "grub",
                    "Install GRUB and its menu anew on the copy, with its own tools: it looks for its files by identifiers too.",
                    null,
                    ("efi", BootMount ?? "/boot/efi")
                );
            yield return Step(sight, "leave", "Close the copy.");
            if (Whole)
                yield break;
            var onCard = Look.Files.Where(f => !f.StartsWith("/etc/", StringComparison.Ordinal)).ToList();
            var becomes = $"root={CommandLineRoot()} becomes root=UUID={RootId}{(Look.RootType == "ext4" ? " rootfstype=ext4" : "")}";
            yield return onCard.Count == 0
                ? new MoveStep(
                    $"On the card, in the file that holds its command line, {becomes}. Keep a copy of that file beside it: with it the card starts its own root again.",
                    null,
                    null
                )
                : Step(
                    sight,
                    "point",
                    $"On the card, let its loader start the copy: in {string.Join(", ", onCard)} {becomes}.",
                    $"The file as it was stays beside it as {string.Join(", ", onCard.Select(f => f[(f.LastIndexOf('/') + 1)..] + ".before"))}: put back, it makes the card start its own root again.",
                    ("files", string.Join(' ', onCard)),
                    ("old", CommandLineRoot()),
                    ("new", $"UUID={RootId}{(Look.RootType == "ext4" ? " rootfstype=ext4" : "")}")
                );
        }

        private string CommandLineRoot() =>
            Look.CommandLine.Split(' ').FirstOrDefault(w => w.StartsWith("root=", StringComparison.Ordinal))?["root=".Length..]
            ?? Look.Root;
    }
}
