/** The layout in a thread of its own: a dense patch takes seconds. */
import { layout } from './layout';

onmessage = ({ data }: MessageEvent<Parameters<typeof layout>>): void => postMessage(layout(...data));
