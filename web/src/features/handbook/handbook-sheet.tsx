import { type ComponentProps, lazy, Suspense, useMemo } from 'react';
import type Markdown from 'react-markdown';
import { Link } from 'wouter';
import { sheets, tabs } from '../../frame/sheets';
import { Heading, Section, SheetWithDock } from '../../ui/elements';
import { type SheetProps, sheetPath, useAddress } from '../../ui/sheet';
import { handbookPath, pages, pictureAt } from './pages';

const Text = lazy(() => import('./text'));

type Parts = NonNullable<ComponentProps<typeof Markdown>['components']>;

/** How the usual jobs are done, a page each: the same text as in docs/handbook. */
export function HandbookSheet({ rig }: SheetProps) {
  const at = useAddress();
  const parts = useMemo(() => partsFor(rig), [rig]);
  const page = pages.find((p) => p.word === at.id) ?? pages[0];
  if (!page) return null;
  const next = pages[pages.indexOf(page) + 1];
  return (
    <SheetWithDock dock={<Contents rig={rig} current={page.word} />}>
      <article key={page.word} className="handbook max-w-[46rem]" data-page={page.word}>
        <Heading>{page.title}</Heading>
        <Suspense fallback={null}>
          <Text parts={parts}>{page.text}</Text>
        </Suspense>
        {next && (
          <p className="mt-4 border-t border-line pt-2">
            Next: <Link href={handbookPath(rig, next.word)}>{next.title}</Link>
          </p>
        )}
      </article>
    </SheetWithDock>
  );
}

/** Pages lead to pages, the names of sheets to these, and pictures stand where they are served. */
function partsFor(rig: number): Parts {
  return {
    a: ({ href = '', children }) => {
      const page = /^([a-z-]+)\.md$/.exec(href)?.[1];
      return page ? <Link href={handbookPath(rig, page)}>{children}</Link> : <span>{children}</span>;
    },
    strong: ({ children }) => {
      const sheet = sheets.find((s) => s.title === children);
      return sheet ? (
        <Link href={sheetPath(rig, sheet.word)} className="font-semibold">
          {children}
        </Link>
      ) : (
        <strong>{children}</strong>
      );
    },
    img: ({ src, alt }) => (
      <img src={pictureAt(String(src))} alt={alt} loading="lazy" className="my-2 border border-line" />
    ),
  };
}

const keys = (): [string, string][] => [
  ['/', 'find a command'],
  [`g then ${tabs.map((t) => t.key).join(' ')}`, `go to ${tabs.map((t) => t.title).join(', ')}`],
  ['n', 'new trim from the one in force'],
  ['f', 'fit the trim on the sheet'],
  ['t', 'start a trial'],
  ['v', 'strips or figures of a trial'],
  ['Space', 'mark this moment of a running trial'],
  ['.', 'stop the trial, after a question'],
  ['↑ ↓', 'move a number by the board’s step; with Shift by five'],
  ['?', 'the page about the sheet that is shown'],
];

function Contents({ rig, current }: { rig: number; current: string }) {
  return (
    <>
      <Section title="Pages">
        <ol className="row-rule">
          {pages.map((p) => (
            <li key={p.word} className="py-[3px]">
              <Link
                href={handbookPath(rig, p.word)}
                aria-current={p.word === current ? 'page' : undefined}
                className="aria-[current]:font-semibold"
              >
                {p.title}
              </Link>
            </li>
          ))}
        </ol>
      </Section>
      <Section title="Keys">
        <dl className="grid grid-cols-[5.5rem_1fr] gap-y-1 text-[13px]">
          {keys().map(([key, text]) => (
            <div key={key} className="contents">
              <dt className="num">{key}</dt>
              <dd>{text}</dd>
            </div>
          ))}
        </dl>
      </Section>
    </>
  );
}
