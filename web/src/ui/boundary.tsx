import { Component, type ReactNode } from 'react';

interface BoundaryProps {
  children: ReactNode;
}

/** Keeps a defect of one sheet from taking the frame away: fleet, course and the other sheets stay usable. */
export class Boundary extends Component<BoundaryProps, { failed: boolean }> {
  override state = { failed: false };

  static getDerivedStateFromError() {
    return { failed: true };
  }

  override render() {
    if (!this.state.failed) return this.props.children;
    return (
      <div role="alert" className="p-4">
        <p className="font-semibold text-caution">This sheet cannot be drawn.</p>
        <p className="text-soft">Nothing is lost, and what runs goes on. Open another sheet, or load the page again.</p>
      </div>
    );
  }
}
