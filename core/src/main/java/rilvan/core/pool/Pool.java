package rilvan.core.pool;

/**
 * Numbers to take from.
 *
 * @param from lowest number
 * @param to highest number, inclusive
 * @param form how a number is written for use, with {@code {}} where it goes, e.g. {@code 64500:{}}
 */
public record Pool(String name, long from, long to, String form) {

    public long size() {
        return to - from + 1;
    }

    public String write(long number) {
        return form.replace("{}", Long.toString(number));
    }
}
