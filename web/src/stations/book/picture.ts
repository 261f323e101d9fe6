import { store } from "../../app/store";

const LONGEST = 2000; // pixels of a side: enough to read a tape by, and small enough for a weak signal

/** Keeps a picture on this device until it is sent, made smaller; the digest that an entry names it by. */
export async function keepPicture(file: File): Promise<string> {
  const body = await smaller(file);
  const hash = await crypto.subtle.digest("SHA-256", await body.arrayBuffer());
  const digest = [...new Uint8Array(hash)].map((byte) => byte.toString(16).padStart(2, "0")).join("");
  await store.pictures.put({ digest, body });
  return digest;
}

async function smaller(file: File): Promise<Blob> {
  const picture = await createImageBitmap(file);
  const scale = Math.min(1, LONGEST / Math.max(picture.width, picture.height));
  const canvas = document.createElement("canvas");
  canvas.width = Math.max(1, Math.round(picture.width * scale));
  canvas.height = Math.max(1, Math.round(picture.height * scale));
  canvas.getContext("2d")!.drawImage(picture, 0, 0, canvas.width, canvas.height);
  const made = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, "image/jpeg", 0.85));
  return made ?? file;
}
