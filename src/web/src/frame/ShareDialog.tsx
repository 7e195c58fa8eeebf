import { useQuery } from "@tanstack/react-query";
import { Modal } from "react-bootstrap";
import { answer, GET } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import styles from "./Dialogs.module.css";

/** How another device, such as a phone beside the board, gets to this bench. */
export default function ShareDialog({ onClose }: { onClose: () => void }) {
  const share = useQuery({
    queryKey: ["share"],
    queryFn: async () => (await answer(GET("/api/share"))) ?? null,
    staleTime: Infinity,
  });
  return (
    <Modal show onHide={onClose} aria-labelledby="share-title" animation={false}>
      <Modal.Body className={styles.find ?? ""}>
        <h2 id="share-title">On another device</h2>
        <ProblemNote error={share.error} />
        {share.data ? (
          <>
            <p>Point its camera here, or open the address and give the key. The key changes at every start.</p>
            <img
              className={styles.code}
              alt="The address with the key, as a QR code"
              src={`data:image/svg+xml;utf8,${encodeURIComponent(share.data.svg)}`}
            />
            <p>
              <a href={share.data.url}>{share.data.url.split("?")[0]}</a>
              <br />
              Key <strong className="time">{share.data.key.match(/.{1,4}/g)?.join("-")}</strong>
            </p>
            <p>{share.data.says}</p>
            {share.data.fingerprint && <p className={`quiet time ${styles.print}`}>{share.data.fingerprint}</p>}
          </>
        ) : (
          share.isSuccess && (
            <>
              <p>This bench is for this computer alone, or this is another device already.</p>
              <p>
                Start it with <code>./buttonhook serve --share tls</code> to reach it from a phone or a laptop, too; the
                way is then encrypted, and the browser asks once whether to trust this bench. With{" "}
                <code>--share plain</code> nothing is encrypted: whoever listens in the network reads the key and all
                that is typed.
              </p>
            </>
          )
        )}
        <button type="button" className="btn btn-outline-secondary" onClick={onClose}>
          Close
        </button>
      </Modal.Body>
    </Modal>
  );
}
