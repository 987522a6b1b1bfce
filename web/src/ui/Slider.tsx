import { Slider as AriaSlider, SliderThumb, SliderTrack } from "react-aria-components";

/** A value between two, by pointer or arrow keys; ``onSet`` hears it once the pointer is let go. */
export function Slider({
  label,
  value,
  least,
  most,
  step,
  onChange,
  onSet,
  words,
  disabled,
  className = "w-full",
}: {
  label: string;
  value: number;
  least: number;
  most: number;
  step: number;
  onChange: (value: number) => void;
  onSet?: (value: number) => void;
  /** What is said of a value. */
  words?: (value: number) => string;
  disabled?: boolean;
  className?: string;
}) {
  return (
    <AriaSlider
      aria-label={label}
      value={value}
      minValue={least}
      maxValue={most}
      step={step}
      isDisabled={disabled}
      onChange={onChange}
      onChangeEnd={onSet}
      className={className}
    >
      <SliderTrack className="relative h-5 w-full cursor-pointer before:absolute before:inset-x-0 before:top-1/2 before:h-px before:bg-base-content data-[disabled]:opacity-40">
        <SliderThumb
          aria-valuetext={words?.(value)}
          className="top-1/2 h-4 w-2.5 border border-base-content bg-base-100 data-[dragging]:bg-primary data-[focus-visible]:outline-2 data-[focus-visible]:outline-offset-2"
        />
      </SliderTrack>
    </AriaSlider>
  );
}
