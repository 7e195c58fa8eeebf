import type { CardSlot } from "../shared/api";
import { decimal } from "../shared/words";

/** A slot as a person tells it from the others. */
export const slotName = (slot: CardSlot) =>
  `${slot.name}, ${decimal(slot.bytes)}${slot.setup ? ", simulated" : ""}${slot.refused ? `: ${slot.refused}` : ""}`;
