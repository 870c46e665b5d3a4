import { allow } from '$server/http/guard';
import { metrics } from '$server/measure/metrics';
import type { RequestHandler } from './$types';

/** What is measured of this server, for Prometheus. */
export const GET: RequestHandler = async (event) => {
	allow(event);
	const { type, text } = await metrics();
	return new Response(text, { headers: { 'content-type': type } });
};
