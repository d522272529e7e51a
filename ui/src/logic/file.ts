/** The file that was chosen in a field; the field is empty again, so that the same one can be chosen once more. */
export function chosen(event: Event): File | undefined {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = "";
  return file;
}

/** A request whose body goes over as it is: a picture, a file. */
export const asItIs = (body: Blob) => ({
  body: body as unknown as number[],
  bodySerializer: () => body as unknown as BodyInit,
  headers: { "content-type": "application/octet-stream" },
});

/** A file's text: as UTF-8, else in the letters of older spreadsheets. */
export async function textOf(file: Blob): Promise<string> {
  const bytes = await file.arrayBuffer();
  try {
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch {
    return new TextDecoder("windows-1252").decode(bytes);
  }
}
