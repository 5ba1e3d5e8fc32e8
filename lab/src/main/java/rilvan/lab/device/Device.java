package rilvan.lab.device;

/** A device of the lab, whatever it is reached by. */
public interface Device {

    String name();

    /** What it holds, in its own text. */
    String running();

    Faults faults();
}
