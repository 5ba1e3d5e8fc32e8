package rilvan.lab.lines;

/** What the gaps of a line may say. */
final class Values {

    private Values() {}

    static boolean fits(String gap, String value) {
        String type = gap.substring(1, gap.length() - 1);
        return switch (type) {
            case "word", "rest", "secret" -> !value.isBlank();
            case "address" -> address(value);
            case "prefix", "interface" -> value.matches("[^/]+/\\d{1,3}") && address(value.substring(0, value.indexOf('/')))
                    && Integer.parseInt(value.substring(value.indexOf('/') + 1)) <= (value.contains(":") ? 128 : 32);
            default -> type.matches("\\d+-\\d+") ? number(type.split("-"), value) : java.util.List.of(type.split("\\|")).contains(value);
        };
    }

    private static boolean number(String[] ends, String value) {
        return value.matches("\\d{1,10}") && Long.parseLong(ends[0]) <= Long.parseLong(value) && Long.parseLong(value) <= Long.parseLong(ends[1]);
    }

    private static boolean address(String text) {
        if (text.contains(":")) {
            return text.matches("[0-9a-f:.]{2,45}");
        }
        String[] parts = text.split("\\.", -1);
        boolean fits = parts.length == 4;
        for (String part : parts) {
            fits &= part.matches("\\d{1,3}") && Integer.parseInt(part) <= 255;
        }
        return fits;
    }
}
