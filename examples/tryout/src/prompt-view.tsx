import { messageText, type Message } from "yoroshi";

/** The prompt as the model gets it; what comes from the row is set apart. */
export function PromptView({ messages }: { readonly messages: readonly Message[] }) {
  if (messages.length === 0) return <p className="quiet">There is no prompt while the template has mistakes or an input is missing.</p>;
  return (
    <ol className="messages">
      {messages.map((message, index) => (
        <li key={index}>
          <span className="role">{message.role}</span>
          <pre>{withData(messageText(message))}</pre>
        </li>
      ))}
    </ol>
  );
}

function withData(content: string) {
  return content
    .split(/(<data-[a-z]+ name="[^"]*">[\s\S]*?<\/data-[a-z]+>)/)
    .map((part, index) => (/^<data-[a-z]+ name=/.test(part) ? <mark key={index}>{part}</mark> : part));
}
