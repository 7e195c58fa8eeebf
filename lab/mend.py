#!/usr/bin/env python3
"""An image with two faults, started as it is and after `inspect --mend`: both in the emulator.

    lab/mend.py FOLDER
"""
import json
import os
import subprocess
import sys

import bench
import ways

if __name__ == "__main__":
    out = os.path.abspath(sys.argv[1])
    os.makedirs(out, exist_ok=True)
    for way in "extlinux-arm64", "grub-efi", "entry":
        system = ways.WAYS[way]()
        ways.wrong_root(system)
        system.options += " init=/lib/systemd/systemd"
        image, copy, board = f"{out}/{way}.img", f"{out}/{way}-mended.img", f"{out}/{way}.json"
        bench.make(system, f"{out}/parts", image)
        json.dump(system.board(), open(board, "w"))
        if os.path.exists(copy):
            os.remove(copy)
        before = json.loads(bench.run("dotnet", bench.APP, "inspect", image, "--board", board, "--json"))["dryBoot"]
        after = json.loads(bench.run("dotnet", bench.APP, "inspect", image, "--board", board, "--mend", copy, "--json"))["dryBoot"]
        print(f"{way:16} dry boot {before['verdict']} {','.join(before['causes'])}; emulator {bench.start(system, image, f'{out}/{way}.console')[:2]}")
        print(f"{'':16} mended: dry boot {after['verdict']} {','.join(after['causes'])}; emulator {bench.start(system, copy, f'{out}/{way}-mended.console')[:2]}", flush=True)
