import { quote } from '../../../passage.mjs';

export async function GET(_request, { params }) {
  const { number } = await params;
  return new Response(String(quote(Number(number))));
}
