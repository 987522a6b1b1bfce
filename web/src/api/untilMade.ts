/** Asks again until what was begun is made. */
export async function untilMade<Answer extends object>(
  ask: () => Promise<Answer | { coming: boolean }>,
): Promise<Exclude<Answer, { coming: boolean }>> {
  for (;;) {
    const answer = await ask();
    if (!("coming" in answer)) return answer as Exclude<Answer, { coming: boolean }>;
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
}
