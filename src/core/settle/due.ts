/** What is still to settle: nodes at records, handed out in the order of the plan. */

/** More records than any change has. */
const RECORDS = 2 ** 20;

/**
 * A heap of (node, record). Each is handed out once, however often it was added; what comes before
 * what was handed out last is over, and not taken any more.
 */
export class Due {
	private readonly heap: number[] = [];
	private last = -1;
	/** What {@link next} came to. */
	node = 0;
	record = 0;

	/** @param node position in the plan @param record position in the change */
	add(node: number, record: number): void {
		const key = node * RECORDS + record;
		if (key <= this.last) return;
		const { heap } = this;
		let i = heap.length;
		heap.push(key);
		while (i > 0) {
			const up = (i - 1) >> 1;
			if (heap[up] <= key) break;
			heap[i] = heap[up];
			i = up;
		}
		heap[i] = key;
	}

	/** Goes to the next; false when there is none. */
	next(): boolean {
		const { heap } = this;
		while (heap.length) {
			const key = heap[0];
			const end = heap.pop()!;
			if (heap.length) this.sink(end);
			if (key === this.last) continue;
			this.last = key;
			this.node = Math.floor(key / RECORDS);
			this.record = key - this.node * RECORDS;
			return true;
		}
		return false;
	}

	/** Puts a key in the place of the first. */
	private sink(key: number): void {
		const { heap } = this;
		const n = heap.length;
		let i = 0;
		for (;;) {
			let down = 2 * i + 1;
			if (down >= n) break;
			if (down + 1 < n && heap[down + 1] < heap[down]) down++;
			if (heap[down] >= key) break;
			heap[i] = heap[down];
			i = down;
		}
		heap[i] = key;
	}
}
