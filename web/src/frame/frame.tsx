import { type ReactNode, useEffect, useState } from 'react';
import { Link } from 'wouter';
import type { Rig } from '../api/client';
import { useConnected } from '../api/live';
import { handbookPath, pageAbout } from '../features/handbook/pages';
import { type SheetWord, sheetPath } from '../ui/sheet';
import { CommandFinder } from './command-finder';
import { CourseLine } from './course-line';
import { FleetRail } from './fleet-rail';
import { useSheetKeys } from './keys';
import { PilotLine } from './pilot-line';
import { RigStrip } from './rig-strip';
import { parts, tabs } from './sheets';

interface FrameProps {
  rigs: Rig[];
  rig: Rig;
  sheet: SheetWord;
  children: ReactNode;
}

/** The frame around every sheet: fleet, the rig's strip, its course, and the sheet for the task in hand. */
export function Frame({ rigs, rig, sheet, children }: FrameProps) {
  const [finding, setFinding] = useState(false);
  const connected = useConnected();
  useSheetKeys(rig, () => setFinding(true));
  useEffect(() => {
    document.title = `${rig.name} · ${sheet} · Zero Keel`;
  }, [rig.name, sheet]);
  return (
    <div className="frame" data-sheet={sheet}>
      <FleetRail rigs={rigs} current={rig.id} sheet={sheet} />
      <header className="flex min-w-0 flex-col border-b border-line px-4 pt-1.5 [grid-area:strip]">
        <div className="flex items-center gap-4">
          <RigStrip rig={rig} />
          <Link
            href={handbookPath(rig.id, pageAbout(sheet))}
            className="ml-auto whitespace-nowrap text-soft"
            title="How this is done"
          >
            Handbook <kbd className="num">?</kbd>
          </Link>
          <button
            type="button"
            onClick={() => setFinding(true)}
            className=" whitespace-nowrap text-soft"
            title="Find a command"
          >
            Find <kbd className="num">/</kbd>
          </button>
        </div>
        <nav aria-label="Sheets" className="flex items-baseline gap-6">
          {parts.map((part) => (
            <div key={part} className="flex items-baseline gap-3.5">
              <span className="small-caps">{part}</span>
              {tabs
                .filter((t) => t.part === part)
                .map((t) => (
                  <Link
                    key={t.word}
                    href={sheetPath(rig.id, t.word)}
                    aria-current={sheet === t.word ? 'page' : undefined}
                    className="border-b-2 border-transparent pt-0.5 pb-1 aria-[current]:border-ink aria-[current]:font-semibold"
                  >
                    {t.title}
                  </Link>
                ))}
            </div>
          ))}
        </nav>
      </header>
      <main className="flex min-h-0 min-w-0 flex-col overflow-hidden [grid-area:sheet]">
        <PilotLine rig={rig} />
        {!connected && (
          <p role="alert" className="bg-buff px-4 py-1">
            The server does not answer. What is shown may be old; the page links again by itself.
          </p>
        )}
        <div className="min-h-0 flex-1 overflow-hidden">{children}</div>
      </main>
      <CourseLine rig={rig} />
      <CommandFinder open={finding} onOpenChange={setFinding} rigs={rigs} rig={rig} />
    </div>
  );
}
