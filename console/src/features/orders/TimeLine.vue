<script setup lang="ts">
import { computed } from 'vue'
import type { Step } from '../../api/types'
import { words } from '../../labels/labels'
import { type Mark, timeLine } from './progress'

const props = defineProps<{ devices: string[]; steps: Step[] }>()

const line = computed(() => timeLine(props.devices, props.steps))
/** A record's name is left out where the next one's would be written over it. */
const hasRoom = (mark: Mark) => !line.value.marks.some((other) => other.at > mark.at && other.at - mark.at < 0.06)
const percent = (share: number) => (share * 100).toFixed(2) + '%'
</script>

<template>
  <div class="timeline" role="img" :aria-label="'Time line of the phases, over ' + line.millis + ' milliseconds'">
    <div class="row">
      <div class="name quiet">state</div>
      <div class="track">
        <div
          v-for="mark in line.marks"
          :key="mark.state + mark.millis"
          class="mark"
          :class="{ last: mark.at > 0.8 }"
          :style="{ left: percent(mark.at) }"
          :title="mark.text"
        >
          {{ hasRoom(mark) ? words(mark.state) : '' }}
        </div>
      </div>
    </div>
    <div v-for="each in line.lines" :key="each.device" class="row">
      <div class="name">{{ each.device || 'all' }}</div>
      <div class="track">
        <div v-for="mark in line.marks" :key="mark.state + mark.millis" class="tick" :style="{ left: percent(mark.at) }" />
        <div
          v-for="(bar, i) in each.bars"
          :key="i"
          class="bar"
          :class="bar.result"
          :style="{ left: percent(bar.from), width: percent(bar.to - bar.from) }"
          :title="words(bar.phase) + (bar.text ? ': ' + bar.text : '')"
        />
      </div>
    </div>
    <div class="row">
      <div class="name" />
      <div class="track scale quiet">
        <span>0</span><span>{{ (line.millis / 1000).toFixed(1) }} s</span>
      </div>
    </div>
  </div>
</template>

<style scoped>
.timeline {
  padding: 12px;
}
.row {
  display: flex;
  align-items: center;
  min-height: 26px;
}
.name {
  width: 120px;
  flex: none;
  font-size: 0.8125rem;
}
.track {
  position: relative;
  flex: 1;
  height: 22px;
}
.bar {
  position: absolute;
  top: 5px;
  height: 12px;
  min-width: 3px;
  border-radius: 2px;
  background: rgb(var(--v-theme-primary));
  border-right: 1px solid rgb(var(--v-theme-surface));
}
.bar.FAILED,
.bar.IN_DOUBT {
  background: rgb(var(--v-theme-error));
}
.tick {
  position: absolute;
  top: 0;
  bottom: -4px;
  border-left: 1px dashed rgba(128, 128, 128, 0.6);
}
.mark {
  position: absolute;
  top: 2px;
  font-size: 0.75rem;
  padding-left: 3px;
  border-left: 1px dashed rgba(128, 128, 128, 0.6);
  white-space: nowrap;
}
.mark.last {
  transform: translateX(-100%);
  padding: 0 3px 0 0;
  border-left: none;
  border-right: 1px dashed rgba(128, 128, 128, 0.6);
}
.scale {
  display: flex;
  justify-content: space-between;
  font-size: 0.75rem;
  height: 16px;
}
</style>
