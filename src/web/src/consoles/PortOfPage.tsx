import { useState } from "react";
import { Button } from "react-bootstrap";
import type { BootView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { browserSerial, openPortAgain, readPort, readsPort, usePortTrouble } from "./browserPort";
import styles from "./Boot.module.css";

/** After a reload the page reads its port on when the person says which one it was. */
export function PortOfPage({ boot }: { boot: BootView }) {
  const [error, setError] = useState<unknown>(null);
  const [, again] = useState(0);
  const trouble = usePortTrouble(boot.id);
  const serial = browserSerial();
  if (!boot.readByPage) return null;
  if (readsPort(boot.id))
    return trouble ? (
      <div className={styles.hint}>
        <ProblemNote error={trouble} />
        <Button variant="outline-secondary" size="sm" onClick={() => void openPortAgain(boot.id)}>
          Open the port again
        </Button>
      </div>
    ) : null;
  const goOn = async () => {
    setError(null);
    try {
      if (!serial || !boot.line) return;
      const known = await serial.getPorts();
      const port = known.length === 1 && known[0] ? known[0] : await serial.requestPort();
      await readPort(boot.id, port, boot.line);
      again((n) => n + 1);
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <div className={styles.hint} role="status">
      <span>
        {serial
          ? "This page does not read the port of this boot."
          : "Another page reads the port of this boot; this browser has no serial ports, or the connection is not secure."}
      </span>
      {serial && (
        <Button variant="outline-secondary" size="sm" onClick={() => void goOn()}>
          Read it here
        </Button>
      )}
      <ProblemNote error={error} />
    </div>
  );
}
