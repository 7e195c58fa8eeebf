import { ProblemError } from "../shared/api";

/** The longest side of a kept photo in pixels. */
const mostPixels = 1600;

/** A picture turned upright, scaled down and drawn anew as JPEG: nothing of its metadata goes along. */
export async function asPhoto(file: File): Promise<Blob> {
  let picture: ImageBitmap;
  try {
    picture = await createImageBitmap(file, { imageOrientation: "from-image" });
  } catch {
    throw new ProblemError({
      expected: "A photo should be a picture that this browser can show, such as JPEG or PNG.",
      came: `${file.name} cannot be read as one.`,
      toDo: "Save it as JPEG first; many cameras have a setting for that.",
    });
  }
  const scale = Math.min(1, mostPixels / Math.max(picture.width, picture.height));
  const canvas = document.createElement("canvas");
  canvas.width = Math.max(1, Math.round(picture.width * scale));
  canvas.height = Math.max(1, Math.round(picture.height * scale));
  canvas.getContext("2d")?.drawImage(picture, 0, 0, canvas.width, canvas.height);
  picture.close();
  const jpeg = await new Promise<Blob | null>((done) => canvas.toBlob(done, "image/jpeg", 0.85));
  if (!jpeg)
    throw new ProblemError({
      expected: "The photo should fit into the memory of this browser.",
      came: `${file.name} does not.`,
      toDo: "Scale it down first.",
    });
  return jpeg;
}
