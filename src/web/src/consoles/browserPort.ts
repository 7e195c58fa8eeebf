import { useSyncExternalStore } from "react";
import { answer, asProblem, GET, POST } from "../shared/api";
import type { LineSettings, Problem } from "../shared/api";
import { hub, startHub } from "../shared/hub";

/** The browser's own serial ports, or null where it has none or the page is not on a secure connection. */
export const browserSerial = (): Serial | null => (navigator as { serial?: Serial }).serial ?? null;

/** A port as a person knows it, as far as a browser tells. */
export function portName(port: SerialPort): string {
  const { usbVendorId: vendor, usbProductId: product } = port.getInfo();
  const hex = (n: number) => n.toString(16).padStart(4, "0");
  return vendor === undefined ? "A serial port" : `USB adapter ${hex(vendor)}:${hex(product ?? 0)}`;
}

/** A line as the standard opens a port with it: its own types say which words and numbers there are. */
function optionsOf(line: LineSettings): SerialOptions {
  const parity: ParityType = line.parity ?? "none";
  const flowControl: FlowControlType = line.flow === "hardware" ? "hardware" : "none";
  return {
    baudRate: line.speed,
    dataBits: line.dataBits === 7 ? 7 : 8,
    stopBits: line.stopBits === 2 ? 2 : 1,
    parity,
    flowControl,
    bufferSize: 65536,
  };
}

/** Why a browser did not open a port, in plain words. */
const refusal = (error: unknown, line: LineSettings) =>
  asProblem({
    expected: `The port should open at ${line.speed} bits a second.`,
    came: `The browser says: ${error instanceof Error ? error.message : String(error)}`,
    toDo: "Check whether the adapter knows this speed and frame, and whether another program or page has the port.",
  });

const breakMilliseconds = 300;
const aliveEvery = 2000;

/** Reads a port of this device for a boot: bytes go to the server in order, again when it is not known that they arrived; what the server sends is written to the port. */
class BrowserPort {
  private line: LineSettings;
  /** The number of bytes that the server has, and those that it is not known to have. */
  private sent = 0;
  private waiting: Uint8Array[] = [];
  private over = false;
  private sending = false;
  private reader: ReadableStreamDefaultReader<Uint8Array> | null = null;
  private readonly alive: ReturnType<typeof setInterval>;

  constructor(
    private readonly bootId: string,
    private readonly port: SerialPort,
    line: LineSettings,
  ) {
    this.line = line;
    this.alive = setInterval(() => void this.send(), aliveEvery);
    hub.on("portType", this.onType);
    hub.on("portLine", this.onLine);
    hub.on("portWires", this.onWires);
    hub.on("portBreak", this.onBreak);
    hub.on("portEnd", this.end);
    hub.onreconnected(() => this.join());
  }

  async start() {
    const { received, line } = await answer(GET("/api/boots/{id}/port", { params: { path: { id: this.bootId } } }));
    this.sent = received;
    this.line = line;
    await startHub();
    await this.join();
    await this.open();
    void this.read();
  }

  private readonly join = async () => {
    if (!this.over) await hub.invoke("ReadPort", this.bootId).catch(() => undefined);
  };

  private open = () => this.port.open(optionsOf(this.line));

  /** Opens it again after it could not be opened; throws what the browser says. */
  async again() {
    try {
      await this.open();
    } catch (error) {
      tell(this.bootId, refusal(error, this.line));
      throw error;
    }
    tell(this.bootId, null);
    void this.read();
  }

  private async read() {
    while (!this.over && this.port.readable && !this.port.readable.locked) {
      const reader = this.port.readable.getReader();
      this.reader = reader;
      try {
        for (;;) {
          const { value, done } = await reader.read();
          if (done) break;
          this.waiting.push(value);
          void this.send();
        }
      } catch {
        // A framing error ends the stream, and the port gives a new one; an unplugged adapter gives none.
      } finally {
        reader.releaseLock();
        // While the line is changed, another one may have taken its place.
        if (this.reader === reader) this.reader = null;
      }
    }
  }

  /** Sends what waits, one request after the other; an empty one says that this page still reads. */
  private async send() {
    // A port that is not open is not read: the silence tells the server so.
    if (this.sending || this.over || (!this.port.readable && this.waiting.length === 0)) return;
    this.sending = true;
    try {
      const parts = this.waiting;
      const body = new Blob(parts as BlobPart[]);
      const response = await fetch(`/api/boots/${this.bootId}/received?from=${this.sent}`, {
        method: "POST",
        headers: { "Content-Type": "application/octet-stream" },
        body,
      });
      if (response.status === 409 || response.status === 404) {
        // The capture has ended, or another page has read on: this one has nothing more to say.
        await this.end();
        return;
      }
      if (!response.ok) return;
      this.waiting = this.waiting.slice(parts.length);
      this.sent += body.size;
    } catch {
      // The server is not there at the moment: it is sent again.
    } finally {
      this.sending = false;
    }
    if (this.waiting.length > 0) void this.send();
  }

  private readonly onType = async (base64: string) => {
    const bytes = Uint8Array.from(atob(base64), (c) => c.charCodeAt(0));
    const writer = this.port.writable?.getWriter();
    await writer?.write(bytes).catch(() => undefined);
    writer?.releaseLock();
  };

  /** A browser changes the speed of a port by opening it anew. */
  private readonly onLine = async (line: LineSettings) => {
    const before = this.line;
    if (this.port.readable && sameLine(line, before)) return;
    const { reader } = this;
    this.reader = null;
    await reader?.cancel().catch(() => undefined);
    await this.port.close().catch(() => undefined);
    this.line = line;
    const refused = await this.open().then(
      () => null,
      (error: unknown) => refusal(error, line),
    );
    if (refused) {
      // What the browser does not take is told; the port is read on as it was, and the server is told that too.
      this.line = before;
      const back = await this.open().then(
        () => true,
        () => false,
      );
      if (back) {
        const { speed, dataBits, parity, stopBits, flow } = before;
        const letter = parity === "even" ? "E" : parity === "odd" ? "O" : "N";
        await POST("/api/boots/{id}/line", {
          params: { path: { id: this.bootId } },
          body: { speed, frame: `${dataBits}${letter}${stopBits}`, flow: flow ?? "none" },
        }).catch(() => undefined);
      }
    }
    tell(this.bootId, refused);
    if (this.port.readable) void this.read();
  };

  private readonly onWires = ({ dtr, rts }: { dtr: boolean | null; rts: boolean | null }) =>
    void this.port
      .setSignals({
        ...(dtr === null ? {} : { dataTerminalReady: dtr }),
        ...(rts === null ? {} : { requestToSend: rts }),
      })
      .catch(() => undefined);

  private readonly onBreak = async () => {
    await this.port.setSignals({ break: true }).catch(() => undefined);
    setTimeout(() => void this.port.setSignals({ break: false }).catch(() => undefined), breakMilliseconds);
  };

  private readonly end = async () => {
    if (this.over) return;
    this.over = true;
    clearInterval(this.alive);
    hub.off("portType", this.onType);
    hub.off("portLine", this.onLine);
    hub.off("portWires", this.onWires);
    hub.off("portBreak", this.onBreak);
    hub.off("portEnd", this.end);
    reading.delete(this.bootId);
    tell(this.bootId, null);
    await this.reader?.cancel().catch(() => undefined);
    await this.port.close().catch(() => undefined);
  };
}

const sameLine = (a: LineSettings, b: LineSettings) => JSON.stringify(a) === JSON.stringify(b);

/** What the browser said against the port of a boot; kept until it is open again as asked. */
const troubles = new Map<string, Problem>();
const watchers = new Set<() => void>();

function tell(bootId: string, trouble: Problem | null) {
  if (trouble) troubles.set(bootId, trouble);
  else troubles.delete(bootId);
  for (const watcher of watchers) watcher();
}

/** What the browser said against the port of a boot, or null; the component is drawn anew when it changes. */
export const usePortTrouble = (bootId: string) =>
  useSyncExternalStore(
    (changed) => {
      watchers.add(changed);
      return () => watchers.delete(changed);
    },
    () => troubles.get(bootId) ?? null,
  );

/** Opens the port of a boot once more, after the browser refused it. */
export const openPortAgain = (bootId: string) =>
  reading
    .get(bootId)
    ?.again()
    .catch(() => undefined);

/** Boots whose port this page reads: they go on while another view is shown. */
const reading = new Map<string, BrowserPort>();

/** Whether this page reads the port of a boot. */
export const readsPort = (bootId: string) => reading.has(bootId);

/** Reads a port for a boot from now on; throws a problem in plain words when it cannot be opened. */
export async function readPort(bootId: string, port: SerialPort, line: LineSettings) {
  const reader = new BrowserPort(bootId, port, line);
  reading.set(bootId, reader);
  try {
    await reader.start();
  } catch (error) {
    reading.delete(bootId);
    await POST("/api/boots/{id}/end", { params: { path: { id: bootId } } });
    throw error instanceof DOMException || error instanceof TypeError ? refusal(error, line) : asProblem(error);
  }
}
