// Three tables of fields that the stand-in has never seen, labelled by hand before it was tuned. `vet` was never tuned on.
import { readFileSync } from "node:fs";

const rowsOf = (name) =>
  readFileSync(new URL(`${name}.psv`, import.meta.url), "utf8")
    .trim()
    .split("\n")
    .slice(1)
    .map((line) => {
      const [text, choice, score, answer] = line.split("|");
      return { text, choice, score: Number(score), answer: answer === "yes" };
    });

export const TABLES = {
  housing: {
    rows: rowsOf("housing"),
    task: "Tenants write to a housing office. Read the message.",
    options: {
      heating: "Radiators, boiler, thermostat, warmth in the flat",
      water: "Taps, pipes, drains, toilet, leaks and damp",
      electrics: "Sockets, lights, fuses, power, electric shock",
      doors: "Doors, windows, locks, keys, handles",
      noise: "Loud neighbours, music, dogs, shouting, building works",
      rent: "Rent, payments, deposit, contract, notice, charges",
    },
    points: {
      1: "nothing has to be done: a question, thanks, or it is settled already",
      2: "a small matter that can wait for the next visit",
      3: "something does not work and should be seen to this week",
      4: "must be seen to today: no heating, no toilet, a door that stays open",
      5: "somebody is in danger right now: gas, fire, electric shock, flood, violence",
    },
    question:
      "Does somebody have to come to the flat? yes: something there is broken and must be repaired or looked at; no: a question, thanks, noise, money, or it is mended already",
  },
  hotel: {
    rows: rowsOf("hotel"),
    task: "Guests comment on their stay in a hotel. Read the comment.",
    options: {
      room: "The room, bed, bathroom, cleanliness, balcony, heating and air",
      food: "Breakfast, dinner, restaurant, dishes, coffee",
      staff: "Reception, porters, housekeeping, manager, how guests are treated",
      price: "Prices, fees, the bill, value for money, refunds",
      location: "Where it is: street, area, beach, station, bus, centre",
      booking: "Reservation, confirmation, cancelling, changing dates, website",
    },
    points: {
      1: "furious: the stay was awful, dirty, dishonest or dangerous",
      2: "disappointed: something was bad, missing or too expensive",
      3: "neither good nor bad: it was all right, as expected",
      4: "content: good, with a small reserve",
      5: "delighted: full of praise and thanks",
    },
    question: "Would the guest come again? yes: they praise it or were content; no: they complain or were disappointed",
  },
  vet: {
    rows: rowsOf("vet"),
    task: "People call an animal clinic. Read the note of the call.",
    options: {
      vaccination: "Shots, jabs, boosters, rabies, certificates for travel",
      injury: "Wounds, bites, falls, accidents, broken bones, limping",
      digestion: "Eating, vomiting, diarrhoea, swallowed things, poison, worms",
      skin: "Itching, fur, rash, fleas, ticks, ears, swelling of the skin",
      behaviour: "Barking, biting people, fear, training, habits",
      billing: "Invoices, costs, insurance, payment, refunds",
    },
    points: {
      1: "no care is needed: a question, paperwork, or thanks",
      2: "a routine appointment some time",
      3: "should be seen within a few days",
      4: "must be seen today: pain, weakness, cannot eat",
      5: "the animal may die: heavy bleeding, poison, cannot breathe, hit by a car",
    },
    question: "Is the animal in pain or hurt? yes: it limps, bleeds, cries, is wounded or sore; no: it is well, or the matter is routine",
  },
};

export const shapeOf = ({ task, options, points, question }, bare = false) => ({
  name: "held-back",
  inputs: { text: { kind: "text" } },
  task: `${task} {{ text }}`,
  answer: {
    choice: { kind: "choice", options: bare ? Object.keys(options) : options },
    score: { kind: "score", from: 1, to: 5, ...(bare ? {} : { scale: points }) },
    answer: { kind: "yesNo", about: bare ? question.split("?")[0] + "?" : question },
  },
});

const ranks = (values) => {
  const sorted = [...values].sort((a, b) => a - b);
  return values.map((value) => (sorted.indexOf(value) + sorted.lastIndexOf(value)) / 2);
};

export function spearman(a, b) {
  const [x, y] = [ranks(a), ranks(b)];
  const mean = (values) => values.reduce((sum, value) => sum + value, 0) / values.length;
  const [mx, my] = [mean(x), mean(y)];
  const sum = (f) => x.reduce((total, _, i) => total + f(x[i] - mx, y[i] - my), 0);
  return sum((p, q) => p * q) / Math.sqrt(sum((p) => p * p) * sum((_, q) => q * q));
}
