// Hands on every block of sound it is given, with the time of its first frame.
class Tape extends AudioWorkletProcessor {
  process(inputs) {
    const channel = inputs[0]?.[0];
    if (channel) this.port.postMessage({ frame: currentFrame, samples: channel.slice() });
    return true;
  }
}
registerProcessor("tape", Tape);
