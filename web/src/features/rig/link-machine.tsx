import { useMutation, useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useEffect, useRef } from 'react';
import { api, type Rig, take } from '../../api/client';
import { linkingQuery } from '../../api/queries';
import { Button, Problem } from '../../ui/elements';
import { num, timeOfDay } from '../../ui/format';
import { BenchStick } from './bench-stick';

const CodePicture = lazy(() => import('./code-picture'));

/** Links a machine to a rig for the first time: its code, who waits with it, and the word that takes that in. */
export function LinkMachine({ rig, atOnce = false }: { rig: Rig; atOnce?: boolean }) {
  const now = useQuery(linkingQuery(rig.id)).data;
  const path = { params: { path: { rig: rig.id } } };
  const make = useMutation({
    meta: { touches: ['rig'] },
    mutationFn: () =>
      take(api.POST('/api/rigs/{rig}/link-code', { ...path, body: { address: window.location.origin } })),
  });
  const takeIn = useMutation({
    meta: { touches: ['rig'] },
    mutationFn: () => take(api.POST('/api/rigs/{rig}/link-code/take-in', path)),
  });
  const asked = useRef(false);
  const begin = make.mutate;
  // A page that is opened anew makes no other code: the one that was shown is good, or its machine waits.
  const first = atOnce && now !== undefined && !now.good && !now.waits;
  useEffect(() => {
    if (first && !asked.current) begin();
    asked.current ||= now !== undefined;
  }, [first, now, begin]);
  const code = now?.good ? make.data?.code : undefined;
  const sum = make.data?.programSum;
  const waits = now?.waits;
  return (
    <div data-linking={waits ? (now.takenIn ? 'taken in' : 'waits') : code ? 'code' : 'none'}>
      {code && !waits && now?.expiresAt && (
        <>
          <div className="my-1 flex items-center gap-3 border border-line bg-sheet px-2 py-1.5">
            <p className="num text-[17px] tracking-wide break-words" data-code="">
              {code}
            </p>
            <Suspense>
              <CodePicture code={code} />
            </Suspense>
          </div>
          <p className="mb-2 text-[13px] text-soft">
            On the machine, as root: <code className="num text-ink">zerokeel agent link</code> and the code, with or
            without its dashes. Good until {timeOfDay(now.expiresAt)}, for one machine, and shown this once.
            {window.location.protocol === 'http:' &&
              ' This server is reached from its own machine alone; others link to one that is started with --guarded.'}
          </p>
          {window.location.protocol === 'https:' && <BenchStick code={code} />}
          {sum && (
            <details className="mb-2 text-[13px]">
              <summary className="cursor-pointer text-soft">The machine has no zerokeel yet</summary>
              <p className="mt-1 text-soft">
                This brings the server’s own program, and checks that it is the right one:
              </p>
              <code
                className="num block border border-line bg-sheet px-2 py-1 text-[12px] break-all whitespace-pre-wrap"
                data-fetch={sum}
              >
                {`curl -kfo zerokeel ${window.location.origin}/zerokeel && echo '${sum}  zerokeel' | sha256sum -c && chmod +x zerokeel && ./zerokeel agent link ${code}`}
              </code>
            </details>
          )}
        </>
      )}
      {waits && !now.takenIn && (
        <div className="mb-2 border-l-4 border-tint-4 pl-2">
          <p>
            <strong>{waits.host || 'A machine'}</strong> waits: {waits.processor || 'processor not told'}, {waits.cores}{' '}
            cores, {waits.threads} threads, {num(waits.memoryMB / 1024, 1)} GiB, {waits.system}.
          </p>
          <Button main className="mt-1" disabled={takeIn.isPending} onClick={() => takeIn.mutate()}>
            Take it in
          </Button>
        </div>
      )}
      {waits && now.takenIn && <p className="mb-2 text-soft">▸ {waits.host || 'The machine'} is taken in; it links.</p>}
      {!code && !waits && now?.good && now.expiresAt && (
        <p className="mb-1 text-soft">The code that was shown is good until {timeOfDay(now.expiresAt)}.</p>
      )}
      {!code && !waits && !make.isPending && (
        <Button onClick={() => make.mutate()}>{now?.good ? 'Make another code' : 'Make a code to link by'}</Button>
      )}
      {waits && !now.takenIn && (
        <p className="text-[13px] text-soft">
          Another machine than you meant?{' '}
          <button type="button" className="underline" onClick={() => make.mutate()}>
            Make another code
          </button>
        </p>
      )}
      <Problem error={make.error ?? takeIn.error} />
    </div>
  );
}
