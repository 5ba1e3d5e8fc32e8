package rilvan.core.model;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Consumer;
import java.util.function.Function;
import rilvan.core.model.Loop.Element;
import rilvan.core.model.Loop.LoopBindings;

/**
 * Statements of a model that loop over the same lists, evaluated in one pass. A model may have thirty statements with
 * {@code each: s in sites}: the sites are walked once, and all thirty are evaluated for each site, instead of thirty walks. The results are
 * in the model's order of statements all the same.
 */
final class FusedLoops<T> {

    private final List<T> said;
    private final Level top = new Level(null);

    /** What is made in one round of one thing that is said. */
    @FunctionalInterface
    interface Making<T, R> {
        void make(T said, LoopBindings bound, Consumer<R> made);
    }

    /** The loops that begin with the same steps. */
    private static final class Level {

        private final Element step;
        private final List<Integer> here = new ArrayList<>();
        private final Map<String, Level> inside = new LinkedHashMap<>();

        private Level(Element step) {
            this.step = step;
        }
    }

    FusedLoops(List<T> said, Function<T, Loop> loop) {
        this.said = List.copyOf(said);
        for (int i = 0; i < said.size(); i++) {
            Level level = top;
            for (Element step : loop.apply(said.get(i)).steps()) {
                level = level.inside.computeIfAbsent(step.written(), written -> new Level(step));
            }
            level.here.add(i);
        }
    }

    /** All that is said, in the model's order. */
    List<T> said() {
        return said;
    }

    /** All that is made in all rounds, in the model's order of what is said, and for each of that in the order of rounds. */
    <R> List<R> collect(LoopBindings bound, Making<T, R> making) {
        List<List<R>> made = new ArrayList<>();
        said.forEach(each -> made.add(new ArrayList<>()));
        run(top, bound, making, made);
        List<R> all = new ArrayList<>();
        made.forEach(all::addAll);
        return all;
    }

    private <R> void run(Level level, LoopBindings bound, Making<T, R> making, List<List<R>> made) {
        level.here.forEach(each -> making.make(said.get(each), bound, made.get(each)::add));
        level.inside.values().forEach(inner -> inner.step.each(bound, round -> run(inner, round, making, made)));
    }
}
