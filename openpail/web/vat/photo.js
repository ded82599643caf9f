// A phone's photo is drawn smaller before it is sent: a screen shows no more, and a yard's network
// carries it.
const LARGE_BYTES = 1500000, WIDEST_PX = 2000;

export async function smaller(file) {
  if (!file.type.startsWith("image/") || file.size < LARGE_BYTES) return file;
  try {
    const picture = await createImageBitmap(file);
    const share = Math.min(1, WIDEST_PX / Math.max(picture.width, picture.height));
    const canvas = document.createElement("canvas");
    canvas.width = Math.round(picture.width * share);
    canvas.height = Math.round(picture.height * share);
    canvas.getContext("2d").drawImage(picture, 0, 0, canvas.width, canvas.height);
    return await new Promise((done) => { canvas.toBlob(done, "image/jpeg", 0.8); });
  } catch { return file; }
}
