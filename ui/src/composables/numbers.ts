/** A number with at most so many decimals and no trailing zeros. */
export const rounded = (value: number, decimals: number) => String(Number(value.toFixed(decimals))).replace("-", "−");
