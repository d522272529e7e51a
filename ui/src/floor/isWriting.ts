/** Fields that take text; a tick or a choice is no writing. */
const TEXT = "textarea, select, input:not([type=checkbox]):not([type=radio])";

/** Whether something else than the floor's own entry is being written (a remark, a reason, a rehearsed load): the focus is left there. */
export const isWriting = () => {
  const at = document.activeElement;
  return at !== null && (at.closest(".remark, .reason") !== null || (at.matches(TEXT) && at.closest(".entry") === null));
};
