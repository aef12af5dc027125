/** Have a text ready to be pasted; false where this browser does not let a page copy. */
export async function copied(text: string): Promise<boolean> {
  try {
    await navigator.clipboard.writeText(text);
    return true;
  } catch {
    return false;
  }
}

export const NOT_COPIED = "This browser does not let a page copy; mark the text instead.";
