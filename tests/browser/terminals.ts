import { type ChildProcess, spawn } from "node:child_process";
import { existsSync, mkdtempSync, rmSync, symlinkSync, unlinkSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";

/** A real pseudo-terminal as a board's console: what is told to print is printed there; with a program, the program runs behind it. */
export class Console {
  private constructor(
    private readonly player: ChildProcess,
    /** The device that a capture opens. */
    readonly path: string,
  ) {}

  /** Makes one; `program` is what it runs (nano, whiptail …), as a shell command. */
  static async make(program: string | null = null): Promise<Console> {
    const player = spawn("/usr/bin/python3", ["-u", join(import.meta.dirname, "console.py"), ...(program ? [program] : [])]);
    const path = await new Promise<string>((found) => player.stdout.once("data", (line: Buffer) => found(line.toString().trim())));
    return new Console(player, path);
  }

  /** Prints a text, now. */
  print(text: string) {
    this.player.stdin?.write(JSON.stringify(text) + "\n");
  }

  /** Takes it away, as a plug that is pulled. */
  async end() {
    if (this.player.exitCode !== null || this.player.signalCode !== null) return;
    const ended = new Promise((over) => this.player.once("exit", over));
    this.player.kill("SIGKILL");
    await ended;
  }
}

/** A folder with serial ports, as the system's own: names of adapters lead to pseudo-terminals. */
export class Devices {
  readonly folder = mkdtempSync(join(tmpdir(), "buttonhook-devices-"));

  plug(name: string, console: Console): string {
    const path = join(this.folder, name);
    symlinkSync(console.path, path);
    return path;
  }

  pull(name: string) {
    if (existsSync(this.folder)) unlinkSync(join(this.folder, name));
  }

  end() {
    rmSync(this.folder, { recursive: true, force: true });
  }
}
