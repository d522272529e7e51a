/** How a partner's phone comes to a run or a lesson. */

/** What is typed into a phone's browser: with the name of the machine, as nobody finds `/join` alone. */
export const joinAddress = () => `${window.location.host}/join`;

/** A code in two halves, easy to read out. */
export const inHalves = (code: string) => `${code.slice(0, 4)} ${code.slice(4)}`;
