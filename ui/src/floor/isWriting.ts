/** Whether a remark or a reason is being written: the focus is left there. */
export const isWriting = () => document.activeElement?.closest(".remark, .reason") != null;
