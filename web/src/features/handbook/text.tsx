import type { ComponentProps } from 'react';
import Markdown from 'react-markdown';
import tables from 'remark-gfm';

/** A text of the handbook. It stands by itself, so that only who reads pays for what reads it. */
export default function Text({
  parts,
  children,
}: {
  parts: ComponentProps<typeof Markdown>['components'];
  children: string;
}) {
  return (
    <Markdown remarkPlugins={[tables]} components={parts}>
      {children}
    </Markdown>
  );
}
