// A panel that fails says so and can be tried again; the rest of the screen goes on.
import { Component, type ReactNode } from 'react';

export class Boundary extends Component<{ children: ReactNode }, { message: string | null }> {
  override state = { message: null };

  static getDerivedStateFromError(error: unknown) {
    return { message: error instanceof Error ? error.message : String(error) };
  }

  override render() {
    if (this.state.message === null) return this.props.children;
    return (
      <div className="pad" role="alert">
        <p>This panel has failed: {this.state.message}</p>
        <button type="button" className="pill" onClick={() => this.setState({ message: null })}>
          Try again
        </button>
      </div>
    );
  }
}
