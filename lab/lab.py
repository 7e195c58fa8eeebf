#!/usr/bin/env python3
"""A lab of images: makes each, breaks one thing, starts it in the emulator, and compares the dry boot with what happened.

    lab/lab.py start FOLDER [PATTERN...]   makes and starts what is not in FOLDER yet, and keeps what came (NAME.truth.json, NAME.console)
    lab/lab.py judge FOLDER [PATTERN...]   asks the dry boot of each that was started, and prints the agreement by way in and by cause

Needs Debian's qemu-system-x86, qemu-system-arm, qemu-system-misc, ovmf, u-boot-qemu, u-boot-tools, device-tree-compiler, systemd-boot-efi,
binutils, mtools, dosfstools, e2fsprogs, fdisk, cpio, xz-utils, bzip2, lzop, lz4 and zstd, and the kernels, busybox and initial file
systems in ../shared/images/parts. Nothing of it runs in the ordinary test. The images lie packed beside their truth.
"""
import concurrent.futures
import fnmatch
import json
import os
import subprocess
import sys
import tempfile
import traceback

import bench
import distribution
import riscv
import scripts
import ways

MODULES = [ways, scripts, distribution, riscv]


def chosen(patterns):
    for module in MODULES:
        for name, build, boots, causes in module.cases():
            if not patterns or any(fnmatch.fnmatch(name, p) for p in patterns):
                yield name, build, boots, causes


def one(name, build, boots, causes, out):
    truth = f"{out}/{name}.truth.json"
    if os.path.exists(truth):
        return
    try:
        system = build()
        image = f"{out}/{name}.img"
        bench.make(system, f"{out}/{name}.parts", image)
        started, why, seconds = bench.start(system, image, f"{out}/{name}.console")
        json.dump({"way": system.way, "board": system.board(), "started": started, "why": why, "seconds": seconds}, open(truth, "w"))
        subprocess.run(["zstd", "-q", "-f", "--rm", image], check=True)
        print(f"{name:40} {'boots' if started else 'does not':9} {why} ({seconds} s){'' if started == (boots is True) else '   (otherwise than the one who made it says)'}", flush=True)
    except Exception:
        print(f"{name:40} could not be made: {traceback.format_exc()[-600:]}", flush=True)


def judged(name, build, boots, causes, out, scratch):
    truth = json.load(open(f"{out}/{name}.truth.json"))
    system = type("Kept", (), {"board": lambda self: truth["board"]})()
    return truth, bench.judge(system, f"{out}/{name}.img.zst", f"{scratch}/{name}.json")


def judge(cases, out):
    by_way, by_cause, same, right, condemned = {}, {}, 0, 0, []
    with tempfile.TemporaryDirectory() as scratch, concurrent.futures.ThreadPoolExecutor(2) as pool:
        cases = [c for c in cases if os.path.exists(f"{out}/{c[0]}.truth.json")]
        for (name, _, boots, causes), (truth, (verdict, said, texts)) in zip(cases, pool.map(lambda c: judged(*c, out, scratch), cases)):
            # A system without a login runs all the same: the one who made it knows.
            runs = truth["started"] or boots == "no login"
            # What hangs on settings that nobody told, or on the network, cannot be told.
            agrees = verdict == ("cannot-tell" if boots in ("network", "cannot tell") else "boots" if runs else "does-not-boot")
            named = said[:1] == [] if not causes else said[:1] != [] and said[0] in causes
            same, right = same + agrees, right + named
            if runs and verdict == "does-not-boot":
                condemned.append(name)
            for table, key in ((by_way, truth["way"]), (by_cause, causes[0] if causes else "good")):
                row = table.setdefault(key, [0, 0, 0])
                row[0], row[1], row[2] = row[0] + 1, row[1] + agrees, row[2] + named
            if not (agrees and named):
                print(f"! {name:38} emulator {'boots' if truth['started'] else 'does not'}: {truth['why']} | dry boot {verdict} {','.join(said) or '-'} (right: {','.join(causes) or '-'}) | {' '.join(texts)[:300]}", flush=True)
    for title, table in (("by way in", by_way), ("by cause", by_cause)):
        print(f"\n{title:34} images  verdict  cause")
        for key, (count, agrees, named) in sorted(table.items()):
            print(f"{key:34} {count:6} {agrees:8} {named:6}")
    print(f"\n{len(cases)} images over {len(by_way)} ways in: verdict agrees on {same}, cause on {right}; good images condemned: {len(condemned)} {' '.join(condemned)}")


if __name__ == "__main__":
    if len(sys.argv) < 3 or sys.argv[1] not in ("start", "judge"):
        sys.exit(__doc__)
    folder = os.path.abspath(sys.argv[2])
    os.makedirs(folder, exist_ok=True)
    cases = list(chosen(sys.argv[3:]))
    if sys.argv[1] == "judge":
        judge(cases, folder)
    else:
        with concurrent.futures.ThreadPoolExecutor(int(os.environ.get("LAB_WORKERS", "2"))) as pool:
            list(pool.map(lambda c: one(*c, folder), cases))
