/** Templates to begin with. They are YAML, as in a project, and can be edited on the page. */
export const TEMPLATES: Readonly<Record<string, string>> = {
  "Sort a deck report": `yoroshi: template/1
name: sort-report
role: You read reports of ferry crews.
inputs:
  report:
    kind: text
    maxChars: 2000
    sample: Stern line parted at the aft bitts while letting go, nobody stood in the bight. Line must be replaced.
  vessel: { kind: text, required: false, sample: MV Kestrel }
task: |
  Decide which hazard this report from {{ vessel }} is mainly about.
  {{ report }}
answer:
  why:
    kind: text
    about: The words that decided it
    maxChars: 120
  hazard:
    kind: choice
    about: The main hazard
    options:
      mooring: Lines, ropes, winches, bitts
      fire: Fire, smoke, burning smell, extinguishers
      slip: Somebody slips, trips or falls
      spill: Oil, fuel or chemicals that leak
    otherwise: unclear
  severity:
    kind: score
    about: How bad it could have been
    from: 1
    to: 5
    scale: { 1: no hazard at all, 5: somebody could have died }
  act:
    kind: yesNo
    about: Does anybody have to act on this
`,
  "Sum up a message": `yoroshi: template/1
name: sum-up
inputs:
  message: { kind: text, maxChars: 2000, sample: "We arrive on the 4 March 2026 with two cars and a trailer. The trailer is 4 m long. Please book us on the morning ferry. My mother uses a wheelchair." }
task: |
  Sum up this message for the booking office.
  {{ message }}
answer:
  summary: { kind: text, maxSentences: 1, maxChars: 140 }
  travelDay: { kind: date, about: The day of the crossing }
  steps: { kind: list, about: What the office has to do, of: { kind: text, maxChars: 120 }, atMost: 3 }
`,
  "How does the writer feel": `yoroshi: template/1
name: feeling
inputs:
  note: { kind: text, sample: "Third time this month that the boat was late, nobody told us anything, I am furious." }
task: How does the writer of this note feel? {{ note }}
answer:
  feeling: { kind: choice, options: { pleased: "happy, thankful, glad", upset: "angry, furious, late again, complaint, rude", neutral: "plain facts, a question" } }
`,
};
