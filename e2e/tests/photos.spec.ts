/** Photographs of a client: taken or chosen in the browser, two days side by side, never shown by themselves. */
import { test, expect, isClean } from "./support";

test("a client is photographed with the camera and from a file, and a file that is no picture says what it is", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.adds("Odile Fenn");
  await page.goto(page.url().replace(/\/(readiness|assess).*/, "/photos"));
  await expect(page.getByRole("heading", { name: "Photographs" })).toBeVisible();
  await page.getByRole("listitem").filter({ hasText: "front" }).getByRole("button", { name: "Take" }).click();
  const camera = page.getByRole("dialog", { name: "From the front" });
  await expect.poll(() => camera.locator("video").evaluate((v: HTMLVideoElement) => v.videoWidth)).toBeGreaterThan(0);
  await camera.getByRole("button", { name: "Take", exact: true }).click();
  const front = page.getByAltText("Odile Fenn from the front, today");
  await expect.poll(() => front.evaluate((i: HTMLImageElement) => i.naturalWidth)).toBeGreaterThan(100);

  const choose = page.getByLabel("Choose a file, back");
  const pdf = { name: "back.jpg", mimeType: "image/jpeg", buffer: Buffer.from("%PDF-1.7 not a picture") };
  await choose.setInputFiles(pdf);
  await expect(page.getByText("This file is a PDF. Choose a picture.")).toBeVisible();
  await expect(front).toBeVisible();
  // A large picture is made smaller.
  const large = await page.evaluate(async () => {
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [3200, 4000];
    canvas.getContext("2d")!.fillRect(800, 400, 1600, 3200);
    const blob = await new Promise<Blob>((done) => canvas.toBlob((b) => done(b!), "image/png"));
    return [...new Uint8Array(await blob.arrayBuffer())];
  });
  await choose.setInputFiles({ name: "large.png", mimeType: "image/png", buffer: Buffer.from(large) });
  const back = page.getByAltText("Odile Fenn from the back, today");
  await expect.poll(() => back.evaluate((i: HTMLImageElement) => [i.naturalWidth, i.naturalHeight])).toEqual([1280, 1600]);
  await isClean(page, "photographs");
  await page.getByRole("button", { name: "Remove back" }).click();
  await expect(page.getByAltText("Odile Fenn from the back, today")).toHaveCount(0);
});
