"""A server of the chat shape around the tiny text model: python serve.py WEIGHTS --port 8099 --precision fp32|bf16|int8

Messages go in; choices come out piece by piece, each with a delta; a last piece has the counts, and a marker ends it.
"""

import argparse
import json
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import torch
from transformers import AutoModelForCausalLM, AutoTokenizer

MOST_TOKENS = 48


class Writer:
    """The model; it writes one answer at a time."""

    def __init__(self, weights: Path, precision: str):
        self.tokenizer = AutoTokenizer.from_pretrained(weights)
        number = torch.bfloat16 if precision == "bf16" else torch.float32
        self.model = AutoModelForCausalLM.from_pretrained(weights, dtype=number).eval()
        if precision == "int8":
            self.model = torch.ao.quantization.quantize_dynamic(self.model, {torch.nn.Linear}, dtype=torch.qint8)
        self.one_at_a_time = threading.Lock()

    def write(self, prompt: str, seed: int, temperature: float) -> Iterator[tuple[str, int]]:
        """Yield each token's text, with how many tokens the prompt had."""
        tokens = self.tokenizer(prompt, return_tensors="pt").input_ids
        chance, asked = torch.Generator().manual_seed(seed), tokens.shape[1]
        past = None
        with self.one_at_a_time, torch.inference_mode():
            for _ in range(MOST_TOKENS):
                out = self.model(tokens, past_key_values=past, use_cache=True)
                past, scores = out.past_key_values, out.logits[0, -1].float()
                if temperature > 0:
                    token = torch.multinomial(torch.softmax(scores / temperature, 0), 1, generator=chance)
                else:
                    token = scores.argmax(keepdim=True)
                tokens = token.view(1, 1)
                yield self.tokenizer.decode(token), asked


class Handler(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    writer: Writer

    def do_GET(self) -> None:
        self.send_response(200)
        self.send_header("Content-Length", "0")
        self.end_headers()

    def do_POST(self) -> None:
        asked = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
        prompt = "\n".join(message["content"] for message in asked["messages"])
        self.send_response(200)
        self.send_header("Content-Type", "text/event-stream")
        self.send_header("Transfer-Encoding", "chunked")
        self.end_headers()
        read = written = 0
        answer = self.writer.write(prompt, int(asked.get("seed", 0)), float(asked.get("temperature", 0.8)))
        for written, (text, read) in enumerate(answer, 1):  # noqa: B007 (told at the end)
            self.tell({"choices": [{"index": 0, "delta": {"content": text}}]})
        self.tell({"choices": [], "usage": {"prompt_tokens": read, "completion_tokens": written}})
        self.chunk("data: [DONE]\n\n")
        self.wfile.write(b"0\r\n\r\n")

    def tell(self, message: dict) -> None:
        self.chunk(f"data: {json.dumps(message)}\n\n")

    def chunk(self, text: str) -> None:
        data = text.encode()
        self.wfile.write(b"%x\r\n%s\r\n" % (len(data), data))

    def log_message(self, format: str, *arguments: object) -> None:
        pass


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("weights", type=Path)
    options.add_argument("--port", type=int, required=True)
    options.add_argument("--precision", choices=("fp32", "bf16", "int8"), default="fp32")
    given = options.parse_args()
    Handler.writer = Writer(given.weights, given.precision)
    ThreadingHTTPServer(("127.0.0.1", given.port), Handler).serve_forever()


if __name__ == "__main__":
    main()
