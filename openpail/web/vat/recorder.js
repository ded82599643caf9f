// A spoken note: recorded here, and given on when it is stopped.
export const mayRecord = () => Boolean(window.MediaRecorder && navigator.mediaDevices);

// Begins at once. Parameters: done(blob). Result: stop(). Throws where the device gives no microphone.
export async function record(done) {
  const stream = await navigator.mediaDevices.getUserMedia({ audio: true });
  const parts = [], recorder = new MediaRecorder(stream);
  recorder.addEventListener("dataavailable", (event) => parts.push(event.data));
  recorder.addEventListener("stop", () => {
    stream.getTracks().forEach((track) => track.stop());
    done(new Blob(parts));
  });
  recorder.start();
  return () => recorder.stop();
}
