// The counter: takes a booking from the form and gives it to the desk.
'use strict';

const form = document.getElementById('booking');
const notice = document.getElementById('notice');

/** What the form says, as the desk takes it. */
function readForm() {
  const { name, from, to, adults, children } = Object.fromEntries(new FormData(form));
  const passengers = { adult: Number(adults), child: Number(children) };
  return { name, from, to, passengers };
}

async function send(wanted) {
  const response = await fetch('/bookings', {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify(wanted),
  });
  return { status: response.status, answer: await response.json() };
}

async function take(event) {
  event.preventDefault();
  const wanted = readForm();
  const { status, answer } = await send(wanted);
  if (status !== 201) {
    refuse(answer.error);
    return;
  }
  notice.textContent = '';
  show(answer);
}

/** Says why there is no booking, and has the form ready for another try. */
function refuse(why) {
  notice.textContent = why;
  open();
}

function open() {
  form.addEventListener('submit', (event) => take(event));
  form.elements.name.focus();
}

open();
