import { useState } from "react";
import { Button } from "react-bootstrap";
import { useSearchParams } from "react-router";
import type { BoardView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useBoot, useDropLog } from "./queries";
import { useDrop } from "../shared/useDrop";
import styles from "./Boot.module.css";
import { BootSource } from "./BootSource";
import { WatchedBoot } from "./WatchedBoot";

/** Watches a boot: the stage bar, the console, the silence, and what hands and eyes do. */
export default function BootPage({ view }: { view: BoardView }) {
  const [search, setSearch] = useSearchParams();
  const asked = search.get("boot") ?? undefined;
  const bootId = asked ?? view.latestBootId ?? undefined;
  const boot = useBoot(bootId);
  const [chosen, setChoosing] = useState(false);
  const choosing = chosen || search.get("open") === "1";
  const drop = useDropLog(view.board.id, () => undefined);
  const { over, handlers } = useDrop((file) => drop.mutate(file, { onSuccess: () => setSearch({}) }));
  if (!bootId || choosing)
    return (
      <>
        {!bootId && <p className="lead">This board was not booted here yet.</p>}
        <BootSource
          view={view}
          onBoot={(id) => {
            setChoosing(false);
            setSearch(id === view.latestBootId ? {} : { boot: id }, { replace: true });
          }}
        />
        {choosing && bootId && (
          <Button
            variant="link"
            onClick={() => {
              setChoosing(false);
              setSearch({}, { replace: true });
            }}
          >
            Back to the console
          </Button>
        )}
      </>
    );
  if (boot.error) return <ProblemNote error={boot.error} />;
  if (!boot.data) return <p aria-busy="true">Reading the log.</p>;
  return (
    <div className={`${styles.field} ${over ? styles.over : ""}`} {...handlers}>
      <ProblemNote error={drop.error} />
      <WatchedBoot
        key={boot.data.id}
        view={view}
        boot={boot.data}
        received={boot.dataUpdatedAt}
        line={Number(search.get("line")) || null}
        onOther={() => setChoosing(true)}
        onNewest={asked && asked !== view.latestBootId ? () => setSearch({}) : null}
      />
    </div>
  );
}
