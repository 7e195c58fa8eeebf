import { FitAddon } from "@xterm/addon-fit";
import { Terminal } from "@xterm/xterm";
import "@xterm/xterm/css/xterm.css";
import { useEffect, useRef, useState } from "react";
import { Button } from "react-bootstrap";
import type { BootView } from "../shared/api";
import { answer, POST } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import styles from "./Console.module.css";

/** Of a longer log only the end is played into the terminal: more does not fit into its memory of lines. */
const playedBytes = 256 * 1024;
const atOnce = 1 << 20;

/** Asks for bytes of the journal; gives them and how many there are in all. */
async function bytesOf(bootId: string, from: number): Promise<{ bytes: Uint8Array; total: number }> {
  const response = await fetch(`/api/boots/${bootId}/bytes?from=${from}&most=${atOnce}`);
  if (!response.ok) throw new Error(String(response.status));
  return {
    bytes: new Uint8Array(await response.arrayBuffer()),
    total: Number(response.headers.get("Buttonhook-Bytes")),
  };
}

/** The server takes so many letters at once; a longer paste goes in pieces. */
const typedAtOnce = 2000;

/** A text in pieces that no character is cut by. */
function pieces(text: string): string[] {
  const all: string[] = [];
  for (let at = 0; at < text.length;) {
    let end = Math.min(text.length, at + typedAtOnce);
    const last = text.charCodeAt(end - 1);
    if (end < text.length && last >= 0xd800 && last < 0xdc00) end--;
    all.push(text.slice(at, end));
    at = end;
  }
  return all;
}

const escape = 0x1b;
const encoder = new TextEncoder();

/**
 * Puts a gentler reset in the place of the full one (ESC c), which would wipe what scrolled by: modes and colours as at the start, the screen
 * scrolled away into the lines behind. A sequence may be cut by the end of a piece, so it keeps what may be its begin.
 */
function gentleReset(rows: () => number) {
  let held = false;
  return (bytes: Uint8Array): Uint8Array => {
    if (!held && !bytes.includes(escape)) return bytes;
    const out: number[] = [];
    for (const byte of bytes) {
      if (held) {
        held = false;
        if (byte === 0x63) {
          out.push(...encoder.encode(`\x1b[?1049l\x1b[!p\x1b[m\x1b[r\x1b[999;1H${"\n".repeat(rows())}\x1b[H`));
          continue;
        }
        out.push(escape);
      }
      if (byte === escape) held = true;
      else out.push(byte);
    }
    return Uint8Array.from(out);
  };
}

/** What a board must not do to the page: set its title, wipe the lines behind, put links or clipboards in, move windows. */
function tame(terminal: Terminal) {
  for (const code of [0, 1, 2, 4, 7, 8, 9, 10, 11, 12, 52, 104, 777, 1337])
    terminal.parser.registerOscHandler(code, () => true);
  terminal.parser.registerCsiHandler({ final: "J" }, (parameters) => parameters[0] === 3);
  terminal.parser.registerCsiHandler({ final: "t" }, () => true);
}

/** The journal as a terminal: menus, prompts, installers and editors work here, with every key. */
export default function TerminalView({
  boot,
  large,
  onLeave,
}: {
  boot: BootView;
  large: boolean;
  onLeave: () => void;
}) {
  const holder = useRef<HTMLDivElement>(null);
  const terminal = useRef<Terminal>(null);
  const [size, setSize] = useState<{ cols: number; rows: number } | null>(null);
  const [lost, setLost] = useState<unknown>(null);
  const latest = useRef({ boot, onLeave });
  const pull = useRef<() => void>(() => undefined);
  const bootId = boot.id;
  const fontSize = large ? 18 : 14;

  useEffect(() => {
    latest.current = { boot, onLeave };
    pull.current();
  });
  useEffect(() => {
    const box = holder.current;
    if (!box) return;
    const style = getComputedStyle(box);
    const term = new Terminal({
      fontFamily: style.fontFamily,
      fontSize,
      scrollback: 10_000,
      screenReaderMode: true,
      linkHandler: { activate: () => undefined },
      theme: { background: "#1d1a17", foreground: "#eae2d4", cursor: "#eae2d4", selectionBackground: "#6b5a3a" },
    });
    terminal.current = term;
    tame(term);
    const fit = new FitAddon();
    term.loadAddon(fit);
    term.open(box);
    term.textarea?.setAttribute("aria-label", "Keys go to the board; Shift and Escape leave");

    const gentle = gentleReset(() => term.rows);
    let over = false;
    let at: number | null = null;
    let busy = false;
    // What the log itself asks a terminal (its size, its kind) was answered then; it is answered again only while it is live.
    let playing = true;
    let typing = Promise.resolve();
    const go = async () => {
      if (busy || over) return;
      busy = true;
      try {
        for (;;) {
          at ??= Math.max(0, latest.current.boot.byteCount - playedBytes);
          const { bytes, total } = await bytesOf(bootId, at);
          if (over) return;
          at += bytes.length;
          await new Promise<void>((done) => term.write(gentle(bytes), done));
          if (at >= total || bytes.length === 0) break;
        }
        playing = false;
      } catch {
        // The page around it says when the server does not answer.
      } finally {
        busy = false;
      }
    };
    pull.current = () => void go();
    void go();
    term.onData((data) => {
      if (playing || !latest.current.boot.live) return;
      typing = typing.then(async () => {
        try {
          for (const text of pieces(data))
            await answer(POST("/api/boots/{id}/typed", { params: { path: { id: bootId } }, body: { text } }));
          setLost(null);
        } catch (error) {
          // What did not reach the board is said: it is not typed again by itself.
          setLost(error);
        }
      });
    });
    term.attachCustomKeyEventHandler((event) => {
      if (event.key !== "Escape" || !event.shiftKey) return true;
      if (event.type === "keydown") latest.current.onLeave();
      return false;
    });
    const resize = () => {
      fit.fit();
      setSize({ cols: term.cols, rows: term.rows });
    };
    const sizes = new ResizeObserver(resize);
    sizes.observe(box);
    resize();
    term.focus();
    return () => {
      over = true;
      pull.current = () => undefined;
      sizes.disconnect();
      term.dispose();
    };
  }, [bootId, fontSize]);

  return (
    <div className={styles.terminal}>
      <div ref={holder} className={styles.screen} role="region" aria-label="Terminal" />
      <ProblemNote error={lost} />
      <p className={styles.terminalFoot}>
        <span>
          {size && `${size.cols} columns, ${size.rows} lines. `}
          {boot.live ? "Keys go to the board" : "The capture has ended"}; <kbd>shift</kbd> <kbd>Esc</kbd> leaves.
        </span>
        <Button
          variant="outline-secondary"
          size="sm"
          disabled={!boot.live || !size}
          title="Types stty with this size, for a shell that does not know it"
          onClick={() => {
            void POST("/api/boots/{id}/typed", {
              params: { path: { id: bootId } },
              body: { text: `stty rows ${size?.rows} cols ${size?.cols}\r` },
            });
            terminal.current?.focus();
          }}
        >
          Tell the shell this size
        </Button>
      </p>
    </div>
  );
}
