import type { TrialEdit } from "../shared/api";

const place: Record<TrialEdit["where"], string> = {
  "command-line": "in the kernel command line",
  "mount-table": "in the mount table, /etc/fstab",
};

/** The edit that lasts, in words. */
export function EditWords({ edit }: { edit: TrialEdit }) {
  return (
    <>
      {place[edit.where]}{" "}
      {edit.before && edit.after ? (
        <>
          <del>{edit.before}</del> becomes <ins>{edit.after}</ins>.
        </>
      ) : edit.after ? (
        <>
          <ins>{edit.after}</ins> is added.
        </>
      ) : (
        <>
          the line that names <del>{edit.before}</del> goes, or gets <code>nofail</code>.
        </>
      )}
    </>
  );
}
