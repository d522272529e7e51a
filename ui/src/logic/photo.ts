/** The longest side that is sent, pixels: as large as the server keeps. */
const SIDE_MAX = 1600;

/** A picture made smaller in the browser; one that the browser cannot open goes as it is, for the server to say why. */
export async function smaller(file: Blob): Promise<Blob> {
  try {
    const picture = await createImageBitmap(file, { imageOrientation: "from-image" });
    const scale = Math.min(1, SIDE_MAX / Math.max(picture.width, picture.height));
    return (await drawn(picture, picture.width * scale, picture.height * scale)) ?? file;
  } catch {
    return file;
  }
}

/** What a camera shows now, as a picture. */
export async function shot(video: HTMLVideoElement): Promise<Blob | null> {
  const scale = Math.min(1, SIDE_MAX / Math.max(video.videoWidth, video.videoHeight, 1));
  return drawn(video, video.videoWidth * scale, video.videoHeight * scale);
}

async function drawn(source: CanvasImageSource, width: number, height: number): Promise<Blob | null> {
  const canvas = document.createElement("canvas");
  canvas.width = Math.max(1, Math.round(width));
  canvas.height = Math.max(1, Math.round(height));
  canvas.getContext("2d")?.drawImage(source, 0, 0, canvas.width, canvas.height);
  return new Promise((done) => canvas.toBlob(done, "image/jpeg", 0.9));
}
