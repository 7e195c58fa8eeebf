import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { BoardPhoto } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useAddPhoto, usePhotos, useSayPhoto } from "./queries";
import { useRemove } from "../shared/queries";
import { RemovedList } from "../shared/RemovedList";
import { useDrop } from "../shared/useDrop";
import { moment } from "../shared/words";
import styles from "./Boards.module.css";

/** A person's own look at the board: photos of its print, its lights, its wires. */
export function BoardPhotos({ boardId, nickname }: { boardId: string; nickname: string }) {
  const photos = usePhotos(boardId);
  const add = useAddPhoto(boardId);
  const drop = useDrop((file) => add.mutate(file));
  return (
    <section className={`${styles.photos} ${drop.over ? styles.over : ""}`} aria-labelledby="photos" {...drop.handlers}>
      <h2 id="photos">Your own look at {nickname}</h2>
      <p className="quiet">
        The print, the lights, the wires. Photos are scaled down and kept with the board, without place, time or camera.
      </p>
      <ul>
        {photos.data?.map((p) => (
          <PhotoCard key={p.id} photo={p} boardId={boardId} />
        ))}
      </ul>
      <Form.Group controlId="add-photo">
        <Form.Label>{add.isPending ? "The photo is being kept …" : "Drop a photo here, or choose one"}</Form.Label>
        <Form.Control
          type="file"
          accept="image/*"
          disabled={add.isPending}
          onChange={(e) => {
            const input = e.target as HTMLInputElement;
            const file = input.files?.[0];
            if (file) add.mutate(file);
            input.value = "";
          }}
        />
      </Form.Group>
      <ProblemNote error={photos.error ?? add.error} />
      <RemovedList kinds={["photo"]} />
    </section>
  );
}

function PhotoCard({ photo, boardId }: { photo: BoardPhoto; boardId: string }) {
  const say = useSayPhoto(boardId);
  const remove = useRemove();
  const [says, setSays] = useState(photo.says);
  return (
    <li>
      <a href={`/api/photos/${photo.id}`} target="_blank" rel="noreferrer">
        <img
          src={`/api/photos/${photo.id}`}
          width={photo.width}
          height={photo.height}
          loading="lazy"
          alt={photo.says || `Photo of ${moment(photo.addedAt)}`}
        />
      </a>
      <Form.Control
        aria-label={`What the photo of ${moment(photo.addedAt)} shows`}
        placeholder="What it shows"
        value={says}
        maxLength={200}
        onChange={(e) => setSays(e.target.value)}
        onBlur={() => says.trim() !== photo.says && say.mutate({ id: photo.id, says })}
      />
      <Button
        variant="outline-secondary"
        size="sm"
        disabled={remove.isPending}
        aria-label={`Remove the photo ${photo.says || `of ${moment(photo.addedAt)}`}`}
        onClick={() => remove.mutate({ kind: "photo", id: photo.id })}
      >
        Remove
      </Button>
      <ProblemNote error={say.error ?? remove.error} />
    </li>
  );
}
