import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { ProblemNote } from "../shared/ProblemNote";
import { useNetworkLists, useNetworkMessage } from "./queries";
import styles from "./OnNetwork.module.css";

/** Where the board is on the network, from what a person pastes: nothing is scanned. */
export function OnNetwork({ boardId }: { boardId: string }) {
  const [before, setBefore] = useState("");
  const [after, setAfter] = useState("");
  const [message, setMessage] = useState("");
  const lists = useNetworkLists(boardId);
  const said = useNetworkMessage();
  return (
    <div className={styles.two}>
      <section aria-labelledby="lists-title">
        <h2 id="lists-title">Which device is it</h2>
        <p className="quiet">
          Paste what <code>ip neigh</code>, <code>arp -a</code> or the router&apos;s list of leases shows, once without
          the board and once with it. Nothing is sent to the network.
        </p>
        <Form
          onSubmit={(e) => {
            e.preventDefault();
            lists.mutate({ before, after });
          }}
        >
          <Form.Group controlId="list-before">
            <Form.Label>Without the board</Form.Label>
            <Form.Control as="textarea" rows={4} value={before} onChange={(e) => setBefore(e.target.value)} />
          </Form.Group>
          <Form.Group controlId="list-after" className="mt-2">
            <Form.Label>With the board</Form.Label>
            <Form.Control as="textarea" rows={4} value={after} onChange={(e) => setAfter(e.target.value)} />
          </Form.Group>
          <Button type="submit" variant="outline-secondary" className="mt-2" disabled={after.trim() === ""}>
            Tell the difference
          </Button>
        </Form>
        <ProblemNote error={lists.error} takeFocus />
        {lists.data && (
          <div role="status">
            {lists.data.says.map((s) => (
              <p key={s}>{s}</p>
            ))}
            {lists.data.new.length + lists.data.gone.length > 0 && (
              <table className="table table-sm">
                <thead>
                  <tr>
                    <th scope="col">Address</th>
                    <th scope="col">Hardware</th>
                    <th scope="col">Name</th>
                    <th scope="col">Change</th>
                  </tr>
                </thead>
                <tbody>
                  {[
                    ...lists.data.new.map((n) => ({ ...n, change: "came" })),
                    ...lists.data.gone.map((n) => ({ ...n, change: "went" })),
                  ].map((n) => (
                    <tr key={n.change + n.address}>
                      <td>{n.address}</td>
                      <td>{n.hardware ?? "not told"}</td>
                      <td>{n.name ?? "not told"}</td>
                      <td>{n.change}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
          </div>
        )}
      </section>
      <section aria-labelledby="message-title">
        <h2 id="message-title">It does not let you in</h2>
        <Form
          onSubmit={(e) => {
            e.preventDefault();
            said.mutate(message);
          }}
        >
          <Form.Group controlId="network-message">
            <Form.Label>What the program that connects said</Form.Label>
            <Form.Control as="textarea" rows={5} value={message} onChange={(e) => setMessage(e.target.value)} />
          </Form.Group>
          <Button type="submit" variant="outline-secondary" className="mt-2" disabled={message.trim() === ""}>
            Tell what it means
          </Button>
        </Form>
        <ProblemNote error={said.error} takeFocus />
        {said.isSuccess && (
          <div role="status">
            {said.data ? (
              <>
                <p>{said.data.says}</p>
                {said.data.command && <code>{said.data.command}</code>}
              </>
            ) : (
              <p>No message that is known here. Look at the console: it tells more.</p>
            )}
          </div>
        )}
      </section>
    </div>
  );
}
