package rilvan.server.store;

/** For mappers: that a column is one of the parameter {@code devices}, in a statement within {@code <script>}. */
final class Among {

    static final String DEVICES = " = any(array[<foreach collection='devices' item='d' separator=','>#{d}</foreach>]::text[])";

    private Among() {}
}
