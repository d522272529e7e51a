/**
 * A chest strap over Web Bluetooth: the standard heart-rate service. The raw bytes of each notification go to the run as
 * they are; what they mean is worked out there.
 */
import { onBeforeUnmount, ref } from "vue";
import { useRun } from "@/stores/run";

interface Characteristic extends EventTarget {
  value?: DataView;
  startNotifications(): Promise<unknown>;
}
interface Device extends EventTarget {
  gatt?: {
    connect(): Promise<{ getPrimaryService(name: string): Promise<{ getCharacteristic(name: string): Promise<Characteristic> }> }>;
    disconnect(): void;
  };
}
interface Bluetooth {
  requestDevice(options: { filters: { services: string[] }[] }): Promise<Device>;
}

export function useStrap() {
  const run = useRun();
  const bluetooth = (navigator as Navigator & { bluetooth?: Bluetooth }).bluetooth;
  const connecting = ref(false);
  const problem = ref<string | null>(null);
  let device: Device | null = null;
  let wanted = false;

  function heard(event: Event) {
    const value = (event.target as Characteristic).value;
    if (!value) return;
    const bytes = Array.from(new Uint8Array(value.buffer, value.byteOffset, value.byteLength), (b) => b.toString(16).padStart(2, "0")).join(
      "",
    );
    void run.record({ kind: "strap_heard", bytes, heard: null });
  }

  async function listen() {
    const server = await device!.gatt!.connect();
    const service = await server.getPrimaryService("heart_rate");
    const measurement = await service.getCharacteristic("heart_rate_measurement");
    measurement.addEventListener("characteristicvaluechanged", heard);
    await measurement.startNotifications();
    problem.value = null;
  }

  /** Must be called from a touch or a key. */
  async function connect() {
    if (!bluetooth) return;
    connecting.value = true;
    problem.value = null;
    try {
      device = await bluetooth.requestDevice({ filters: [{ services: ["heart_rate"] }] });
      device.addEventListener("gattserverdisconnected", () => wanted && void again());
      wanted = true;
      await listen();
    } catch (error) {
      problem.value =
        error instanceof DOMException && error.name === "NotFoundError"
          ? "No strap was chosen."
          : "The strap could not be reached. Moisten it, wear it, and try again; or type the heart rate.";
    } finally {
      connecting.value = false;
    }
  }

  /** A strap that went out of reach is taken up again when it is back. */
  async function again() {
    for (let wait = 1000; wanted; wait = Math.min(wait * 2, 15_000)) {
      try {
        return await listen();
      } catch {
        problem.value = "The strap is out of reach. It reconnects by itself; type the heart rate until then.";
        await new Promise((resolve) => setTimeout(resolve, wait));
      }
    }
  }

  onBeforeUnmount(() => {
    wanted = false;
    device?.gatt?.disconnect();
  });
  return { supported: bluetooth !== undefined, connecting, problem, connect };
}

export type Strap = ReturnType<typeof useStrap>;
