import { answer, asProblem, GET, POST } from "../shared/api";
import type { LineSettings } from "../shared/api";
import { hub, startHub } from "../shared/hub";

/** The parts of Web Serial that are used (W3C community draft); browsers that lack it have no `navigator.serial`. */
type Port = {
  open(options: {
    baudRate: number;
    dataBits: 7 | 8;
    stopBits: 1 | 2;
    parity: "none" | "even" | "odd";
    flowControl: "none" | "hardware";
    bufferSize: number;
  }): Promise<void>;
  close(): Promise<void>;
  setSignals(signals: { dataTerminalReady?: boolean; requestToSend?: boolean; break?: boolean }): Promise<void>;
  getInfo(): { usbVendorId?: number; usbProductId?: number };
  readable: ReadableStream<Uint8Array> | null;
  writable: WritableStream<Uint8Array> | null;
};

type Serial = { requestPort(): Promise<Port>; getPorts(): Promise<Port[]> };

/** The browser's own serial ports, or null where it has none or the page is not on a secure connection. */
export const browserSerial = (): Serial | null => (navigator as Navigator & { serial?: Serial }).serial ?? null;

/** A port as a person knows it, as far as a browser tells. */
export function portName(port: Port): string {
  const { usbVendorId: vendor, usbProductId: product } = port.getInfo();
  const hex = (n: number) => n.toString(16).padStart(4, "0");
  return vendor === undefined ? "A serial port" : `USB adapter ${hex(vendor)}:${hex(product ?? 0)}`;
}

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
    private readonly port: Port,
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

  private open = () =>
    this.port.open({
      baudRate: this.line.speed,
      dataBits: this.line.dataBits === 7 ? 7 : 8,
      stopBits: this.line.stopBits === 2 ? 2 : 1,
      parity: this.line.parity ?? "none",
      flowControl: this.line.flow === "hardware" ? "hardware" : "none",
      bufferSize: 65536,
    });

  private async read() {
    while (!this.over && this.port.readable) {
      this.reader = this.port.readable.getReader();
      try {
        for (;;) {
          const { value, done } = await this.reader.read();
          if (done) break;
          this.waiting.push(value);
          void this.send();
        }
      } catch {
        // A framing error ends the stream, and the port gives a new one; an unplugged adapter gives none.
      } finally {
        this.reader.releaseLock();
        this.reader = null;
      }
    }
  }

  /** Sends what waits, one request after the other; an empty one says that this page still reads. */
  private async send() {
    if (this.sending || this.over) return;
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
    this.line = line;
    const reader = this.reader;
    this.reader = null;
    await reader?.cancel().catch(() => undefined);
    await this.port.close().catch(() => undefined);
    await this.open().catch(() => undefined);
    void this.read();
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
    await this.reader?.cancel().catch(() => undefined);
    await this.port.close().catch(() => undefined);
  };
}

/** Boots whose port this page reads: they go on while another view is shown. */
const reading = new Map<string, BrowserPort>();

/** Whether this page reads the port of a boot. */
export const readsPort = (bootId: string) => reading.has(bootId);

/** Reads a port for a boot from now on; throws a problem in plain words when it cannot be opened. */
export async function readPort(bootId: string, port: Port, line: LineSettings) {
  const reader = new BrowserPort(bootId, port, line);
  reading.set(bootId, reader);
  try {
    await reader.start();
  } catch (error) {
    reading.delete(bootId);
    await POST("/api/boots/{id}/end", { params: { path: { id: bootId } } });
    throw asProblem(
      error instanceof DOMException
        ? {
            expected: "The port should open.",
            came: `The browser says: ${error.message}`,
            toDo: "Look whether another program or page has it, and choose it again.",
          }
        : error,
    );
  }
}
