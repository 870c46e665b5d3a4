import { json } from '@sveltejs/kit';
import type { RequestHandler } from './$types';

/** The server is alive: it answers. What it needs is asked at `/ready`. */
export const GET: RequestHandler = () => json({ alive: true });
