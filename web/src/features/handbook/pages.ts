import type { SheetWord } from '../../ui/sheet';

/** A page of the handbook: its word in addresses, its title, and its text below that. */
export interface Page {
  word: string;
  title: string;
  text: string;
}

const texts = import.meta.glob<string>('../../../../docs/handbook/*.md', {
  query: '?raw',
  import: 'default',
  eager: true,
});

const pictures = import.meta.glob<string>('../../../../docs/screenshots/*.png', {
  query: '?url',
  import: 'default',
  eager: true,
});

const fileOf = (path: string) => path.split('/').at(-1) ?? path;

const byFile = new Map(Object.entries(texts).map(([path, text]) => [fileOf(path), text]));

/** The pages in the order of the work, which is the order in which the first of them links to the others. */
const words = new Set([
  'index',
  ...[...(byFile.get('index.md') ?? '').matchAll(/\]\(([a-z-]+)\.md\)/g)].map(([, word]) => word ?? ''),
]);

export const pages: Page[] = [...words].map((word) => {
  const [first = '', ...rest] = (byFile.get(`${word}.md`) ?? '').split('\n');
  return { word, title: first.replace(/^# /, ''), text: rest.join('\n') };
});

/** Where a picture that a page names is served. */
export const pictureAt = (named = ''): string | undefined =>
  Object.entries(pictures).find(([path]) => fileOf(path) === fileOf(named))?.[1];

/** Which page tells about the work on a sheet. */
const about: Partial<Record<SheetWord, string>> = {
  fleet: 'like-machines',
  rig: 'begin',
  trim: 'cooler-without-loss',
  tuning: 'cooler-without-loss',
  cooling: 'cooler-without-loss',
  fitting: 'begin',
  card: 'begin',
  trial: 'reading-a-trial',
  ladders: 'what-proof-means',
  soundings: 'what-proof-means',
  scores: 'cooler-without-loss',
  compare: 'cooler-without-loss',
  log: 'a-machine-that-crashes',
};

export const pageAbout = (sheet: string): string => about[sheet as SheetWord] ?? 'index';

export const handbookPath = (rig: number, page: string): string => `/rig/${rig}/handbook/${page}`;
