import { useEffect, useState } from "react";
import {
  Button,
  type Color,
  ColorArea,
  ColorSlider,
  ColorThumb,
  Dialog,
  DialogTrigger,
  parseColor,
  Popover,
  SliderTrack,
} from "react-aria-components";

import { codesOf, hexOf, linearOf, toLinear } from "./color";
import { takeColor } from "./eyedropper";
import { NumberField } from "./NumberField";

const CODE = { words: "a whole number from 0 to 255", minimum: 0, maximum: 255 };
const same = (a: readonly number[], b: readonly number[]) => a.every((v, k) => Math.abs(v - b[k]!) < 5e-4);

interface Props {
  label: string;
  /** Linear Rec.709. */
  linear: readonly number[];
  onSet: (linear: number[]) => void;
  /** Colours that were chosen before, the last first. */
  recent?: readonly (readonly number[])[];
  /** Whether the swatch alone is shown, without its hex. */
  bare?: boolean;
  /** The most that one of its numbers may be; light may be brighter than white. */
  most?: number;
}

/** A colour as a swatch that opens what sets it: hue and lightness by dragging, hex, codes or linear numbers, a colour off any picture, those chosen before. */
export function ColorControl(props: Props) {
  const [open, setOpen] = useState(false);
  const [hover, setHover] = useState<number[] | null>(null);
  const [taking, setTaking] = useState(false);
  async function take() {
    setOpen(false);
    setTaking(true);
    const found = await takeColor(setHover);
    setTaking(false);
    setHover(null);
    if (found) props.onSet(found);
    setOpen(true);
  }
  return (
    <>
      <DialogTrigger isOpen={open} onOpenChange={setOpen}>
        <Button
          aria-label={`${props.label}: ${hexOf(props.linear)}`}
          className={`inline-flex shrink-0 cursor-pointer items-center gap-2 border border-base-content bg-base-100 font-mono text-[12px] hover:bg-base-300 ${props.bare ? "h-5" : "h-[26px] pr-2"}`}
        >
          <Swatch
            linear={props.linear}
            className={`h-full ${props.bare ? "w-6" : "w-7 border-r border-base-content"}`}
          />
          {!props.bare && hexOf(props.linear)}
        </Button>
        <Popover placement="bottom start" className="z-30">
          <Dialog
            aria-label={props.label}
            className="w-[272px] border border-base-content bg-base-100 p-3 outline-none"
          >
            <Inside {...props} onTake={() => void take()} />
          </Dialog>
        </Popover>
      </DialogTrigger>
      {taking && (
        <p
          role="status"
          className="fixed bottom-3 left-1/2 z-40 flex -translate-x-1/2 items-center gap-2 border border-base-content bg-base-100 px-3 py-1.5"
        >
          {hover && <Swatch linear={hover} className="h-5 w-8 border border-base-content" />}
          {hover ? hexOf(hover) : "Press where the colour is, on any picture."}
          <span className="text-soft">Escape keeps the old one.</span>
        </p>
      )}
    </>
  );
}

export function Swatch({
  linear,
  className = "h-4 w-4 border border-base-content",
}: {
  linear: readonly number[];
  className?: string;
}) {
  return (
    <span
      aria-hidden
      className={`inline-block shrink-0 ${className}`}
      style={{ background: hexOf(linear) }}
    />
  );
}

function Inside({ label, linear, onSet, recent = [], most = 1, onTake }: Props & { onTake: () => void }) {
  const hex = hexOf(linear);
  const [color, setColor] = useState(() => parseColor(hex).toFormat("hsl"));
  const [text, setText] = useState(hex);
  useEffect(() => {
    setText(hex);
    // What is being dragged keeps its hue where the codes no longer tell it, as in greys.
    setColor((held) => (held.toString("hex").toLowerCase() === hex ? held : parseColor(hex).toFormat("hsl")));
  }, [hex]);
  const put = (made: Color) => onSet(linearOf(made.toString("hex")));
  const putHex = () => {
    const clean = text.trim().replace(/^#?/, "#");
    if (/^#[0-9a-f]{6}$/i.test(clean) && clean.toLowerCase() !== hex) onSet(linearOf(clean.toLowerCase()));
    else setText(hex);
  };
  const codes = codesOf(linear);
  const linearRange = { words: `a number from 0 to ${most}`, minimum: 0, maximum: most };
  return (
    <div className="flex flex-col gap-2.5">
      <ColorArea
        aria-label={`${label}, hue and lightness`}
        colorSpace="hsl"
        xChannel="hue"
        yChannel="lightness"
        value={tinted(color)}
        onChange={setColor}
        onChangeEnd={put}
        className="h-28 w-full border border-base-content"
      >
        <Thumb />
      </ColorArea>
      <ColorSlider
        aria-label={`${label}, strength of the hue`}
        colorSpace="hsl"
        channel="saturation"
        value={color}
        onChange={setColor}
        onChangeEnd={put}
      >
        <SliderTrack className="h-4 w-full border border-base-content">
          <Thumb />
        </SliderTrack>
      </ColorSlider>
      <div className="grid grid-cols-[52px_1fr] items-center gap-x-2 gap-y-1.5">
        <span className="text-[12px] text-soft">Hex</span>
        <input
          className="field font-mono text-[12px]"
          aria-label={`${label}, hex`}
          value={text}
          onChange={(event) => setText(event.target.value)}
          onBlur={putHex}
          onKeyDown={(event) => event.key === "Enter" && putHex()}
        />
        <span className="text-[12px] text-soft">sRGB</span>
        <span className="flex gap-1">
          {codes.map((code, at) => (
            <NumberField
              key={at}
              label={`${label}, ${["red", "green", "blue"][at]} code`}
              value={code}
              range={CODE}
              className="w-[62px] text-[12px]"
              onSet={(value) =>
                onSet(codes.map((old, k) => toLinear((k === at ? Math.round(value) : old) / 255)))
              }
            />
          ))}
        </span>
        <span className="text-[12px] text-soft">Linear</span>
        <span className="flex gap-1">
          {linear.map((value, at) => (
            <NumberField
              key={at}
              label={`${label}, ${["red", "green", "blue"][at]} linear`}
              value={value}
              range={linearRange}
              className="w-[62px] text-[12px]"
              onSet={(set) => onSet(linear.map((old, k) => (k === at ? set : old)))}
            />
          ))}
        </span>
      </div>
      <button className="press justify-center" onClick={onTake}>
        Take it from a picture
      </button>
      {recent.length > 0 && (
        <div>
          <span className="block text-[12px] text-soft">Chosen before in this move</span>
          <ul className="mt-1 flex flex-wrap gap-1">
            {recent.map((one) => (
              <li key={one.join()}>
                <button
                  className="block"
                  aria-label={hexOf(one)}
                  title={hexOf(one)}
                  aria-pressed={same(one, linear)}
                  onClick={() => onSet([...one])}
                >
                  <Swatch linear={one} className="h-6 w-6 border border-base-content" />
                </button>
              </li>
            ))}
          </ul>
        </div>
      )}
    </div>
  );
}

/** A grey has no hue to be dragged: it is given one on the pad. */
const tinted = (color: Color) =>
  color.getChannelValue("saturation") < 1 ? color.withChannelValue("saturation", 70) : color;

function Thumb() {
  return (
    <ColorThumb className="top-1/2 h-4 w-2.5 border border-[#22241f] bg-[#fbfaf8] outline-offset-2 data-[focus-visible]:outline-2" />
  );
}
