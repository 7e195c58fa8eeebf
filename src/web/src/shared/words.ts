import type { BoardProfile, ImageProfile, InstructionSet, WorkStep, Stage } from "./api";

export const steps: readonly WorkStep[] = ["identify", "match", "prepare", "connect", "boot", "diagnose", "keep"];

export const stepNames: Record<WorkStep, string> = {
  identify: "Identify",
  match: "Match",
  prepare: "Prepare",
  connect: "Connect",
  boot: "Boot",
  diagnose: "Diagnose",
  keep: "Keep",
};

const sets: Record<NonNullable<InstructionSet>, string> = {
  armhf: "32-bit ARM",
  arm64: "64-bit ARM",
  riscv64: "64-bit RISC-V",
  amd64: "x86-64",
};

/** Instruction sets by id, for choices. */
export const setChoices = Object.entries(sets);

/** The plain name of an instruction set; that it is not known when it is null. */
export const setName = (set: InstructionSet | null) => (set === null ? "processor not known" : sets[set]);

export const stageNames: Record<Stage, string> = {
  power: "Power",
  "first-loader": "First loader",
  "second-loader": "Second loader",
  kernel: "Kernel",
  root: "Root",
  services: "Services",
  login: "Login",
  network: "Network",
};

export const stateWords: Record<string, string> = {
  open: "not reached",
  reached: "reached",
  now: "now",
  stopped: "stopped here",
  hidden: "not shown here",
  flawed: "reached, with something wrong",
};

/** Seconds as minutes and seconds: "0:07", "1:32". */
export function clock(seconds: number): string {
  if (seconds < 0) return `−${clock(-seconds)}`;
  const whole = Math.floor(seconds);
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
}

/** Bytes in binary units. */
export function binary(bytes: number): string {
  if (bytes >= 2 ** 30) return `${(bytes / 2 ** 30).toFixed(1)} GiB`;
  if (bytes >= 2 ** 20) return `${Math.floor(bytes / 2 ** 20)} MiB`;
  if (bytes >= 1024) return `${Math.floor(bytes / 1024)} KiB`;
  return `${bytes} bytes`;
}

/** Bytes in the decimal units of downloads. */
export function decimal(bytes: number): string {
  return bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${Math.floor(bytes / 1e6)} MB`;
}

/** Memory as it is sold. */
export function memory(mebibytes: number): string {
  return mebibytes >= 1024 ? `${mebibytes / 1024} GB` : `${mebibytes} MB`;
}

/** The memory that an image needs, and is comfortable with. */
export const memoryOf = (image: ImageProfile) =>
  image.minimumMemoryMiB === null
    ? "not known"
    : `${memory(image.minimumMemoryMiB)}${image.comfortableMemoryMiB === null ? "" : `, better ${memory(image.comfortableMemoryMiB)}`}`;

/** The console of an image as its command line names it; null when it names none. */
export const consoleOf = (image: ImageProfile) =>
  image.consoleDevice === null
    ? null
    : [image.consoleDevice, image.consoleSpeed].filter((part) => part !== null).join(",");

/** Yes, no, or that it is not known. */
export const yes = (is: boolean | null) => (is === null ? "not known" : is ? "yes" : "no");

/** A share in whole percent; what is nearly nothing or nearly all is not rounded to it. */
export function percent(share: number): string {
  if (share > 0 && share < 0.005) return "< 1 %";
  if (share < 1 && share >= 0.995) return "> 99 %";
  return `${Math.round(share * 100)} %`;
}

export const day = (iso: string) =>
  new Date(iso).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });

/** Day and time, short and of one width in a list. */
export const moment = (iso: string) =>
  new Date(iso).toLocaleString(undefined, {
    month: "short",
    day: "2-digit",
    hour: "2-digit",
    minute: "2-digit",
    hourCycle: "h23",
  });

/** Seconds with a tenth where that says something: "12.3 s", "2:05". */
export function seconds(value: number): string {
  return value < 100 ? `${value.toFixed(1)} s` : clock(value);
}

/** A length of time in words that are short: "40 s", "12 min", "1.5 h". */
export function duration(seconds: number): string {
  if (seconds < 90) return `${Math.round(seconds)} s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  return `${(seconds / 3600).toFixed(1)} h`;
}

/** The memory of a model that is sold with one size; null where a person must look. */
export const onlyMemory = (model: BoardProfile | undefined) =>
  model?.memoryMiB.length === 1 ? (model.memoryMiB[0] ?? null) : null;
