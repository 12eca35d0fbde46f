'use client';
import { Component, type ReactNode } from 'react';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { exportProject } from './files';

interface Props {
  /** Of what it says that it could not be shown, such as `This sheet`. */
  readonly what: string;
  /** Where it stands: another place, or another state of the document, is another try. */
  readonly of?: string;
  readonly children: ReactNode;
}
interface State {
  readonly error: Error | undefined;
  readonly version: number;
  readonly of: string | undefined;
}

/** What goes wrong while something is drawn ends here: the rest stays, and the project can be exported. */
export class Guarded extends Component<Props, State> {
  override state: State = { error: undefined, version: 0, of: undefined };
  private unsubscribe: (() => void) | undefined;

  static getDerivedStateFromError(error: unknown): Partial<State> {
    return {
      error: error instanceof Error ? error : new Error(String(error)),
      version: useProject.getState().version,
    };
  }
  static getDerivedStateFromProps(props: Props, state: State): Partial<State> | null {
    return props.of === state.of ? null : { of: props.of, error: undefined };
  }
  override componentDidMount(): void {
    this.unsubscribe = useProject.subscribe(({ version }) => {
      if (this.state.error && version !== this.state.version) this.again();
    });
  }
  override componentWillUnmount(): void {
    this.unsubscribe?.();
  }
  private readonly again = (): void => this.setState({ error: undefined });

  override render(): ReactNode {
    const { error } = this.state;
    return error ? <Broken what={this.props.what} error={error} again={this.again} /> : this.props.children;
  }
}

function Broken({ what, error, again }: { readonly what: string; readonly error: Error; readonly again: () => void }) {
  const project = useProject((s) => s.project);
  const undoSteps = useProject((s) => s.undoSteps);
  const undo = useProject((s) => s.undo);
  return (
    <div className="broken" role="alert">
      <h2>{what} could not be shown</h2>
      <p>
        Something in it is not what Zelvar expects. Nothing is lost: the project is as it was, and everything else goes
        on.
      </p>
      <p className="mono quiet">{error.message}</p>
      <div className="d-flex gap-2 flex-wrap">
        {project && (
          <Button variant="primary" onClick={exportProject}>
            Export the project
          </Button>
        )}
        {undoSteps.length > 0 && <Button onClick={undo}>Undo: {undoSteps.at(-1)!.label}</Button>}
        <Button onClick={again}>Try again</Button>
      </div>
    </div>
  );
}
