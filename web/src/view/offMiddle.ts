/** Whether a frame lies off the middle that its lens looks at. */
export const offMiddle = (shift: readonly number[] | undefined) =>
  shift?.some((share) => share !== 0) ?? false;
