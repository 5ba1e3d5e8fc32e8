package rilvan.protocol;

/** The wire to one device, as it is traced: costs nothing while nobody traces it. */
public record Wire(String device, SessionObserver observer) {

    public void sent(String text) {
        if (observer.traces(device)) {
            observer.sent(device, text);
        }
    }

    public void received(String text) {
        if (observer.traces(device)) {
            observer.received(device, text);
        }
    }
}
