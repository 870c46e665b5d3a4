/**
 * All that is worked out beside a page, in one script: it holds the core, which so travels once however many
 * of these run. What one of them does is its name; each is a thread of its own, so none waits for another.
 */
import { between } from './between';
import { covering } from './cover';
import { findings } from './findings';
import { trials } from './trials';

const WORK: Readonly<Record<string, (job: never) => unknown>> = {
	between,
	cover: covering,
	findings,
	trials
};
const work = WORK[self.name];
self.onmessage = ({ data }: MessageEvent) => self.postMessage(work(data as never));
