/** A sheet as it is read and written; what stands where is told by the forms of the server. */
export type Sheet = { [name: string]: unknown };

/** What stands at a path such as "limits.pptW"; undefined where it is left out. */
export function at(sheet: Sheet, path: string): unknown {
  return path.split('.').reduce<unknown>((holder, word) => (holder as Sheet | undefined)?.[word], sheet);
}

/** The sheet with something else at a path; undefined leaves it out. */
export function put(sheet: Sheet, path: string, value: unknown): Sheet {
  const [word = '', ...rest] = path.split('.');
  const out = { ...sheet };
  if (rest.length > 0) out[word] = put((sheet[word] as Sheet | undefined) ?? {}, rest.join('.'), value);
  else if (value === undefined) delete out[word];
  else out[word] = value;
  return out;
}

/** What was typed as a number, if it is one: otherwise the words, of which the server says what is wrong. */
export function typed(text: string): number | string {
  const plain = text.trim().replace(',', '.').replace('\u2212', '-');
  return plain !== '' && Number.isFinite(Number(plain)) ? Number(plain) : text;
}
