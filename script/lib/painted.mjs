// From a tap or a key to what it changed on the screen, painted.

/** Taps these tiles one after another and gives how long each took to be painted, ms. `tiles`: their places; nothing: the key, Space, whose
 * figure is the clock's. */
export const painted = (page, taps, tiles) =>
  page.evaluate(
    async ({ taps, tiles }) => {
      const changed = (of, was) =>
        new Promise((done) => {
          const look = () => (of.textContent === was ? requestAnimationFrame(look) : requestAnimationFrame(() => done(performance.now())));
          requestAnimationFrame(look);
        });
      const times = [];
      for (let k = 0; k < taps; k++) {
        const of = tiles ? document.querySelectorAll(".tile")[tiles[k % tiles.length]] : document.querySelector("[role=timer]");
        const [before, was] = [performance.now(), of.textContent];
        if (tiles) of.click();
        else document.body.dispatchEvent(new KeyboardEvent("keydown", { key: " ", bubbles: true }));
        const end = await Promise.race([changed(of, was), new Promise((done) => setTimeout(() => done(null), 2000))]);
        if (end === null) throw new Error(`${k + 1}: ${of.textContent} did not change`);
        times.push(end - before);
        await new Promise((done) => setTimeout(done, 40));
      }
      return times;
    },
    { taps, tiles },
  );
