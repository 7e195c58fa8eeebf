"""The dry boot of each system: every place that a passed link names is opened on the image itself, by the kernel's own file systems."""
import json
import os
import subprocess
import tempfile

BOARD = {"architecture": "amd64", "loader": "efi", "bootMedium": "usb", "consoleDevice": "ttyS0", "consoleSpeed": 115200, "memoryMiB": 1024, "compatible": [], "firmware": "UEFI"}


def sh(*command):
    return subprocess.run(command, capture_output=True, text=True, check=True).stdout.strip()


# A volume of LVM begins behind the first MiB of its partition, as disk.sh makes it.
FIRST_EXTENT = 1 << 20


def opened(image, parts, place):
    """Whether "pN:/path:line" (a volume of LVM: "group/volume:/path:line") is there: the file or folder, and as many lines."""
    part, _, rest = place.partition(":")
    path, _, line = rest.rpartition(":") if rest.rsplit(":", 1)[-1].isdigit() else (rest, "", "")
    offset = parts[-1] + FIRST_EXTENT if "/" in part else parts[int(part[1:]) - 1]
    with tempfile.TemporaryDirectory() as folder:
        sh("mount", "-o", f"loop,ro,offset={offset}", image, folder)
        try:
            # A link of the system points into its own root.
            found = sh("chroot", folder, "/bin/readlink", "-f", path) if os.path.lexists(f"{folder}/bin/readlink") else path
            found = folder + (found or path)
            return os.path.lexists(found) and (not line or len(open(found, errors="replace").readlines()) >= int(line))
        finally:
            sh("umount", folder)


def run(product, system, image, say):
    """Whether each place that the dry boot names is there."""
    path = f"{system['folder']}/{system['name']}.img"
    with tempfile.NamedTemporaryFile("w", suffix=".json") as card:
        json.dump(BOARD, card)
        card.flush()
        steps = json.loads(sh("dotnet", product.app, "inspect", path, "--board", card.name, "--json"))["dryBoot"]["steps"]
    parts = [p["start"] * 512 for p in json.loads(sh("sfdisk", "-J", path))["partitiontable"]["partitions"]]
    places = [s["file"] for s in steps if s["result"] == "passed" and s["file"]]
    gone = [p for p in places if not opened(path, parts, p)]
    say(f"    {len(places)} places named, {len(gone)} not there {gone}")
    return {"every place that it names is there": ("fails", ", ".join(gone)) if gone or not places else ("holds", f"{len(places)} places")}
