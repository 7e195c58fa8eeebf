import { useState } from "react";
import { Button } from "react-bootstrap";
import { useNavigate } from "react-router";
import type { BoardSummary, PortChoice } from "../shared/api";
import { useKeys } from "../shared/keys";
import styles from "./Boot.module.css";
import { useRealPorts, useStartBoot } from "./queries";

/** More boards than these are chosen on their own page. */
const mostOffered = 3;

function Offer({ port, boards, onClose }: { port: PortChoice; boards: BoardSummary[]; onClose: () => void }) {
  const go = useNavigate();
  const [first] = boards;
  const start = useStartBoot(first?.id ?? "");
  const open = (board: BoardSummary) => {
    if (board.id !== first?.id) {
      onClose();
      void go(`/boards/${board.id}/boot?open=1&port=${encodeURIComponent(port.path)}`);
      return;
    }
    start.mutate(
      { source: port.path, speed: null },
      {
        onSuccess: (boot) => {
          onClose();
          void go(`/boards/${board.id}/boot?boot=${boot.id}`);
        },
        // Nothing tells the board's speed, or the port is not free: the form says more.
        onError: () => {
          onClose();
          void go(`/boards/${board.id}/boot?open=1&port=${encodeURIComponent(port.path)}`);
        },
      },
    );
  };
  useKeys({ o: () => first && open(first) });
  return (
    <div className={styles.offer} role="status">
      <span>
        <strong>Plugged in just now:</strong> {port.name}
      </span>
      {boards.slice(0, mostOffered).map((board, n) => (
        <Button
          key={board.id}
          variant="outline-secondary"
          size="sm"
          disabled={start.isPending}
          onClick={() => open(board)}
        >
          Open it for {board.nickname} {n === 0 && <kbd>o</kbd>}
        </Button>
      ))}
      <button type="button" className="link" onClick={onClose}>
        Not now
      </button>
    </div>
  );
}

/** An adapter that was plugged in is offered at once for the board that has no console: the one that is shown first. */
export default function AdapterOffer({ boards, shown }: { boards: BoardSummary[]; shown: string | undefined }) {
  const ports = useRealPorts();
  const [declined, setDeclined] = useState<string[]>([]);
  const port = ports.data?.find((p) => p.appeared && !declined.includes(p.path + p.appeared));
  const free = boards
    .filter((b) => !b.live && !b.simulated)
    .sort((a, b) => Number(b.id === shown) - Number(a.id === shown));
  if (!port || free.length === 0) return null;
  return (
    <Offer
      key={port.path}
      port={port}
      boards={free}
      onClose={() => setDeclined([...declined, port.path + (port.appeared ?? "")])}
    />
  );
}
