#!/usr/bin/env python3
"""Writes docs/systems.md from FOLDER/results.json, and which systems ran each command into data/knowledge/commands: matrix.py FOLDER"""
import datetime
import json
import os
import re
import sys

HERE = os.path.dirname(os.path.abspath(__file__))
ROOT = os.path.dirname(os.path.dirname(HERE))
SIGNS = {"holds": "holds", "refused": "refused before", "fails": "**fails**"}
# Which command of data/knowledge/commands a task or a step of the runs sends.
COMMANDS = {
    "What the system has": "tools", "A user of your own": "user", "Root has no password": "lock", "Lock ": "lock", "No remote login of root": "root-remote",
    "Host name": "host", "An address": "address", "The file system": "grown", "The clock": "clock",
}


def described():
    for line in open(f"{HERE}/systems"):
        if not line.startswith("#") and line.strip():
            name, suite, init, root, table, interfaces, _, packages = line.split(None, 7)
            network = next((p for p in ("netplan.io", "ifupdown") if p in packages), "networkd" if init == "systemd" else "-")
            yield name, f"{suite}, {init}{', cloud-init' if 'cloud-init' in packages else ''}, {network.replace('.io', '')}, {root} on {table.upper()}, {'renamed' if interfaces == 'renamed' else 'eth0'}"


def table(results, kind, names):
    rows = []
    for name in names:
        for what in results[name].get(kind, {}):
            general = re.sub(r"in place of \w+|^Lock \w+|^Host name [\w-]+", lambda m: {"i": "", "L": "Lock the default user", "H": "Host name"}[m.group(0)[0]], what).strip()
            if general not in rows:
                rows.append(general)
    def cell(name, row):
        for what, (how, words) in results[name].get(kind, {}).items():
            general = re.sub(r"in place of \w+|^Lock \w+|^Host name [\w-]+", lambda m: {"i": "", "L": "Lock the default user", "H": "Host name"}[m.group(0)[0]], what).strip()
            if general == row:
                return SIGNS[how]
        # A copy onto another kind of medium is a run of its own.
        medium = row.split(":")[0] + ":" if kind == "off-card" else ""
        return "not offered" if "power cut" not in row and any(what.startswith(medium) for what in results[name].get(kind, {})) else "not run"
    have = [n for n in names if results[n].get(kind)]
    yield f"| | {' | '.join(have)} |"
    yield f"|---|{'---|' * len(have)}"
    for row in rows:
        yield f"| {row} | {' | '.join(cell(n, row) for n in have)} |"


def main():
    folder = sys.argv[1]
    results = json.load(open(f"{folder}/results.json"))
    names = [n for n, _ in described() if n in results]
    lines = [
        "# What holds on real systems", "",
        f"Made by `./buttonhook lab systems` on {datetime.date.today()}; not written by hand. Each system is made of a distribution's packages and started in the emulator",
        "with UEFI firmware, its console on a pseudo-terminal that the product captures; what is offered is sent by the product's own ways and judged by what the",
        "system then says of itself. *holds*: so it is. *refused before*: the product said before that it cannot be, and why. *not offered*: it does not offer it there.", "",
        "| system | |", "|---|---|",
    ]
    lines += [f"| {n} | {d} |" for n, d in described()]
    for kind, title in (("dry-boot", "Dry boot"), ("first-boot", "Settings before the first boot"), ("first-login", "First login"), ("off-card", "Off the card")):
        if any(results[n].get(kind) for n in names):
            lines += ["", f"## {title}", "", *table(results, kind, names)]
    said = [(n, kind, what, how, words) for n in names for kind in results[n] for what, (how, words) in results[n][kind].items() if how != "holds" and words]
    lines += ["", "## What was refused, and what fails", ""]
    lines += [f"- {n}, {what}: {'**fails**: ' if how == 'fails' else ''}{' '.join(words.split())[:300]}" for n, kind, what, how, words in said] or ["Nothing."]
    not_run = [n for n, _ in described() if n not in results]
    if not_run:
        lines += ["", f"Not run yet: {', '.join(not_run)}."]
    open(f"{ROOT}/docs/systems.md", "w").write("\n".join(lines) + "\n")
    ran = {}
    for n in names:
        for what, (how, _) in results[n].get("first-login", {}).items():
            for begin, command in COMMANDS.items():
                if how == "holds" and what.startswith(begin):
                    family = "adduser" if command == "user" and "busybox" in n else "useradd" if command == "user" else None
                    ran.setdefault((command, family), []).append(n)
        if any("starts from it alone" in what and how == "holds" for what, (how, _) in results[n].get("off-card", {}).items()):
            for command in ("disks", "table", "file-systems", "copy", "edits", "grub", "leave"):
                ran.setdefault((command, None), []).append(n)
    for file in sorted(os.listdir(f"{ROOT}/data/knowledge/commands")):
        path = f"{ROOT}/data/knowledge/commands/{file}"
        out, current, family = [], None, None
        text = re.sub(r"^    ran: .*\n", "", open(path).read(), flags=re.M)
        for entry in re.split(r"(?=^  - id: )", text, flags=re.M):
            if m := re.match(r"  - id: (\S+)", entry):
                f = re.search(r"^    family: (\S+)", entry, re.M)
                key = (m.group(1), f.group(1) if f and m.group(1) == "user" else None)
                if systems := ran.get(key):
                    entry = entry.rstrip("\n") + f"\n    ran: [{', '.join(sorted(set(systems)))}]\n"
            out.append(entry)
        open(path, "w").write("".join(out))


main()
