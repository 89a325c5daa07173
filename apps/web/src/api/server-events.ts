import type { ServerEvent } from '@amber-knit/contracts';
import { api } from './api';
import { remarksApi } from './remarks-api';

/** Listens to server events until the returned call. `dispatch` is the store's. */
export function listenToServer(dispatch: (action: unknown) => unknown): () => void {
  const source = new EventSource('/api/events');
  const askAnew = (): unknown => dispatch(api.util.invalidateTags(['Pieces', 'Piece', 'Steps', 'Captures']));
  // What was asked for before the connection stood, for the first time or again, may have changed unheard since.
  source.onopen = askAnew;
  source.onmessage = (message) => {
    const event = JSON.parse(message.data as string) as ServerEvent;
    if (event.type === 'anew') askAnew();
    else if (event.type === 'here') dispatch(remarksApi.util.upsertQueryData('here', event.pieceId, event.people));
    else if (event.type === 'signed-out') dispatch(api.util.invalidateTags(['Session']));
    else if (event.type === 'piece')
      dispatch(api.util.invalidateTags(['Pieces', { type: 'Piece', id: event.pieceId }]));
    else {
      const { step } = event;
      dispatch(
        api.util.updateQueryData('steps', step.pieceId, (list) => {
          const at = list.findIndex((s) => s.id === step.id);
          if (at >= 0) list[at] = step;
          else list.push(step);
        }) as never,
      );
      const { pieceId: id, status } = step;
      if (status !== 'running' || step.progress === 0)
        dispatch(api.util.invalidateTags(['Pieces', { type: 'Piece', id }]));
      // A list that is on its way may be older than this: once it is here it is asked for again.
      if (status !== 'running' && status !== 'queued') dispatch(api.util.invalidateTags([{ type: 'Steps', id }]));
    }
  };
  return () => source.close();
}
