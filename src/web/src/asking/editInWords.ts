import type { TrialEdit } from "../shared/api";

const place: Record<TrialEdit["where"], string> = {
  "command-line": "in the kernel command line",
  "mount-table": "in the mount table, /etc/fstab,",
};

/** The edit that lasts, in words: the end of a sentence, without its full stop. */
export const editInWords = ({ where, before, after }: TrialEdit) =>
  before && after
    ? `${place[where]} ${before} becomes ${after}`
    : after
      ? `${place[where]} ${after} is added`
      : `${place[where]} the line that names ${before} goes, or gets nofail`;
