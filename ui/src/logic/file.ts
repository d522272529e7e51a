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
