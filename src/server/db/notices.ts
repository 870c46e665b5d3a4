/** What the servers of one database tell each other, over PostgreSQL's own channels. */
import pg from 'pg';
import type { Db } from './pool';

/** What is told. It goes out when the transaction that tells it is committed. */
export type Notice =
	| { kind: 'changed'; workspace: string; revision: number; account: string; name: string }
	/** Something beside the draft is another: a remark, or what is accepted of its findings. */
	| { kind: 'beside'; workspace: string }
	/** Rows of living tables stand as after this edit. */
	| { kind: 'rows'; workspace: string; number: number }
	| {
			kind: 'here';
			workspace: string;
			/** One open page. */
			page: string;
			account: string;
			name: string;
			/** The rule, definition or table that is worked in; null for none any more. */
			at: string | null;
	  };

/** What a listener hears: notices, and that some may have been missed, since the connection was made anew. */
export type Heard = Notice | { kind: 'missed' };

const CHANNEL = 'rigid_rule';

export async function announce(db: Db, notice: Notice): Promise<void> {
	await db.query('select pg_notify($1, $2)', [CHANNEL, JSON.stringify(notice)]);
}

const listeners = new Set<(heard: Heard) => void>();
let client: pg.Client | null = null;
let again: NodeJS.Timeout | null = null;
/** The connection was lost since the last of them was heard. */
let missed = false;

/** Opened when this server listens. */
function gate() {
	let open!: () => void;
	const opened = new Promise<void>((r) => (open = r));
	return { opened, open };
}
let listening = gate();

/**
 * Hears what is told, until what it gives is called. What is told before `listening` is done may not be heard:
 * whoever reads a state to begin with reads it after that.
 */
export function hear(heard: (heard: Heard) => void): {
	deaf: () => void;
	listening: Promise<void>;
} {
	listeners.add(heard);
	if (!client && !again) void connect();
	const deaf = () => {
		listeners.delete(heard);
		if (listeners.size) return;
		if (again) clearTimeout(again);
		again = null;
		void client?.end().catch(() => undefined);
		client = null;
		listening = gate();
	};
	return { deaf, listening: listening.opened };
}

/** One connection listens for all of this server; one that is lost is made again as long as somebody hears. */
async function connect() {
	const mine = new pg.Client({ connectionString: process.env.DATABASE_URL, keepAlive: true });
	client = mine;
	const lost = () => {
		if (client !== mine) return;
		client = null;
		listening = gate();
		missed = true;
		void mine.end().catch(() => undefined);
		if (!listeners.size || again) return;
		again = setTimeout(() => {
			again = null;
			void connect();
		}, 1000);
	};
	mine.on('error', lost);
	mine.on('end', lost);
	mine.on('notification', ({ payload }) => {
		const notice = JSON.parse(payload ?? '{}') as Notice;
		for (const heard of listeners) heard(notice);
	});
	try {
		await mine.connect();
		await mine.query(`listen ${CHANNEL}`);
		listening.open();
		if (missed) for (const heard of listeners) heard({ kind: 'missed' });
		missed = false;
	} catch {
		lost();
	}
}
